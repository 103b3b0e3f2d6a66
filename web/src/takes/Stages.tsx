import CheckCircle from '@mui/icons-material/CheckCircle';
import RadioButtonUnchecked from '@mui/icons-material/RadioButtonUnchecked';
import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';

/** How far the preparation of a take is. */
export function Stages({ take }: { take: Schemas['Take'] }) {
  const clip = take.clip === 'ready' || take.clip === 'not_kept';
  const steps: [string, boolean][] = [
    ['Clip', clip],
    ['Chart', take.chart_ready],
    ['Count', take.count_ready],
    ['Floor', take.floor_ready],
    ['Bodies', take.bodies_ready],
  ];
  return (
    <Box
      component="ul"
      aria-label="Preparation"
      sx={{ display: 'flex', gap: 1, m: 0, p: 0, listStyle: 'none' }}
    >
      {steps.map(([name, done]) => (
        <Box
          component="li"
          key={name}
          sx={{
            display: 'flex',
            alignItems: 'center',
            gap: 0.3,
            color: done ? 'text.primary' : 'text.secondary',
          }}
        >
          {done ? (
            <CheckCircle sx={{ fontSize: 15 }} titleAccess="done" />
          ) : (
            <RadioButtonUnchecked sx={{ fontSize: 15 }} titleAccess="to do" />
          )}
          <Typography variant="caption">{name}</Typography>
        </Box>
      ))}
    </Box>
  );
}
