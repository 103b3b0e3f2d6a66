import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Typography from '@mui/material/Typography';
import { Terms } from './Terms';

const groups: [string, [string, string][]][] = [
  [
    'Film',
    [
      ['Space', 'play or pause'],
      [', .', 'one frame back or on'],
      ['← →', 'one frame (moves a chosen point while marking)'],
      ['Shift ← →', 'one count'],
      ['[ ]', 'one repetition'],
      ['1 … 9', 'to that count'],
      ['- +', 'slower, faster'],
      ['l', 'loop this repetition'],
      ['v', 'the couple in space'],
      ['u', 'corrections as subtitles'],
    ],
  ],
  [
    'Marking',
    [
      ['w', 'watch'],
      ['h', 'hear the beat in the music'],
      ["/ * '", 'half as many beats, twice as many, half a beat later'],
      ['t', 'tap the beat'],
      ['o', 'this frame is 1 (next beat is 1 when tapped)'],
      ['f', 'floor'],
      ['b', 'bodies'],
      ['r', 'the other role'],
      ['n p', 'next, previous point'],
      ['s', 'set the chosen point in the middle, to be moved by arrows'],
      ['c', 'copy the points from the frame before'],
      ['m', 'the count where marks would settle most'],
      ['e', 'the dancers found have each other’s names, from here on or in the loop'],
      ['a d', 'left, right foot arrives with weight'],
      ['x', 'take the arrival or the chosen point away'],
      ['Arrows', 'move the chosen point (Shift: five times as far)'],
      ['Ctrl z / Ctrl y', 'undo, redo'],
    ],
  ],
  [
    'Then and now',
    [
      ['← →', 'one count back or on'],
      ['↑ ↓', 'one repetition back or on'],
      ['Space', 'play or pause'],
      ['s f', 'slower, faster'],
    ],
  ],
  [
    'Figure',
    [
      ['← →', 'one count back or on'],
      ['Home', 'before the first count'],
      ['Space', 'play or pause'],
      ['Ctrl s', 'save (in the editor)'],
      ['Ctrl z / Ctrl y', 'undo, redo (in the editor)'],
    ],
  ],
  [
    'Routine',
    [
      ['j k', 'next, previous figure'],
      ['Shift ↑ ↓', 'move it'],
      ['+ -', 'once more, once less'],
      ['Delete', 'take it out'],
      ['Esc', 'choose none: new figures go to the end'],
      ['Ctrl z / Ctrl y', 'undo, redo'],
    ],
  ],
  [
    'Findings',
    [
      ['j k', 'next, previous finding'],
      ['Enter', 'confirm; once more to log it'],
      ['Delete', 'dismiss with a reason'],
    ],
  ],
];

/** All keys. */
export function KeySheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} maxWidth="md" aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent
        tabIndex={0}
        aria-label="Keys"
        sx={{ display: 'flex', gap: 4, flexWrap: 'wrap' }}
      >
        {groups.map(([name, keys]) => (
          <Box key={name} component="section">
            <Typography variant="h3" component="h3" gutterBottom>
              {name}
            </Typography>
            <Terms terms={keys} first="auto" />
          </Box>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} autoFocus>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
