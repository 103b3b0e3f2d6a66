import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { Terms } from '../shell/Terms';
import {
  actions,
  connections,
  contacts,
  directions,
  holdVerbs,
  legs,
  levels,
  parts,
  positions,
  watchpoints,
} from './vocabulary';

const written = (words: string[]) => words.map((w) => w.replaceAll('_', '-')).join(', ');

const groups: [string, string][] = [
  ['A row', 'count | leader | follower | couple'],
  ['A step', 'foot (L, R), what it does, where to, size in %, then turn and notes'],
  ['Does', written(actions)],
  ['Blocks', `${written(parts)}; the counts that a block takes as well are written "`],
  ['Where to', written(directions).replace('in-place', 'here')],
  ['Walk', 'x3 gives its steps'],
  [
    'Turn',
    '<3/8 is three eighths to the left, >4/8 half to the right, by the arrival; <1/8..2/8 at the second stage',
  ],
  ['Contact', written(contacts)],
  ['Rise and fall', written(levels)],
  ['Knee', written(legs)],
  ['Judged', `${watchpoints.map((w) => `!${w}`).join(', ')}; couple: !stretched, !together`],
  ['Position', written(positions)],
  [
    'Hands',
    `${written(holdVerbs)} with a hold, the leader’s side first: L-R, R>shoulder-blade, upper-arm<L`,
  ],
  ['Connection', written(connections)],
  ['Feet', 'same-feet, opposite-feet, any-feet: from this count'],
  ['Nothing', 'leave the cell empty'],
  ['Comment', '# at the beginning of a line'],
];

/** The notation on one page. */
export function NotationHelp({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} maxWidth="md" aria-labelledby="notation-title">
      <DialogTitle id="notation-title">The notation</DialogTitle>
      <DialogContent>
        <Terms terms={groups} first="120px" />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} autoFocus>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
