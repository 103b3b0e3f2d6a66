import Check from '@mui/icons-material/CheckOutlined';
import Close from '@mui/icons-material/CloseOutlined';
import SwapHoriz from '@mui/icons-material/SwapHorizOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { plural } from '../words';

export const changeWords = (change: Schemas['HoldChange'][]) =>
  change.map((c) => `${c.verb} ${c.hold}`).join(', ');

/** What fits between two figures and what does not, with what could be put there. */
export function JointRow({
  joint,
  bridges,
  nameOf,
  onChange,
  onBridge,
}: {
  joint: Schemas['Joint'];
  bridges: Schemas['Bridge'][];
  nameOf: (chart: string) => string;
  /** Takes the offered change of hands. */
  onChange: () => void;
  onBridge: (bridge: Schemas['Bridge']) => void;
}) {
  const marks: [string, boolean][] = [
    ['Feet', joint.feet],
    ['Position', joint.position],
    ['Hands', joint.holds],
    ['Facing', joint.facing],
  ];
  const good = joint.fit === 'fits';
  const hands = joint.fit === 'other_hands';
  return (
    <Box
      data-joint={good ? 'fits' : 'refused'}
      sx={{
        ml: 2,
        pl: 1.5,
        py: good ? 0.25 : 0.75,
        borderLeft: 3,
        borderColor: good ? 'fine.main' : 'caution.main',
      }}
    >
      <Box sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap' }}>
        {marks.map(([name, ok]) => (
          <Typography
            key={name}
            component="span"
            variant="caption"
            sx={{
              display: 'inline-flex',
              alignItems: 'center',
              gap: 0.25,
              color: ok ? 'text.secondary' : 'text.primary',
              fontWeight: ok ? 400 : 700,
            }}
          >
            {ok ? (
              <Check titleAccess="fit" sx={{ fontSize: 14 }} />
            ) : (
              <Close titleAccess="do not fit" sx={{ fontSize: 14, color: 'caution.main' }} />
            )}
            {name}
          </Typography>
        ))}
      </Box>
      {joint.sentences.map((s) => (
        <Typography key={s} variant="body2">
          {s}
        </Typography>
      ))}
      {!good && (
        <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', mt: 0.5 }}>
          {hands && (
            <Button variant="outlined" startIcon={<SwapHoriz />} onClick={onChange}>
              Change hands: {changeWords(joint.change)}
            </Button>
          )}
          {bridges.map((b, i) => (
            <Button key={i} variant="outlined" onClick={() => onBridge(b)}>
              Put between: {bridgeWords(b, nameOf)}
            </Button>
          ))}
          {!hands && bridges.length === 0 && (
            <Typography variant="body2" color="text.secondary">
              No figure of these dances leads from one to the other. Choose another one here.
            </Typography>
          )}
        </Box>
      )}
    </Box>
  );
}

/** A bridge in words: its figures, its hands, its length. */
export function bridgeWords(b: Schemas['Bridge'], nameOf: (chart: string) => string) {
  const names = b.items.map(
    (i) => `${nameOf(i.chart)}${i.change?.length ? ` (${changeWords(i.change)})` : ''}`,
  );
  const after = b.last_change.length ? [changeWords(b.last_change)] : [];
  return `${[...names, ...after].join(', ')} · ${plural(b.beats, 'beat')}`;
}
