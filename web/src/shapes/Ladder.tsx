import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { tone } from '../theme';
import type { Role } from '../words';

/** A drill's steps as stairs: those done are filled, the one in hand stands out, those to come are open. */
export function Ladder({
  steps,
  rung,
  role,
}: {
  steps: string[];
  rung: Schemas['Rung'];
  role: Role;
}) {
  const colour = role === 'leader' ? tone.leader : tone.follower;
  const w = 100 / Math.max(1, steps.length);
  const now = steps[rung.step - 1] ?? '';
  const tempo = rung.tempo ? `, at ${rung.tempo} % of the tempo` : '';
  const words = `Step ${rung.step} of ${steps.length}: ${now}${tempo}`;
  return (
    <Box>
      <svg
        viewBox="0 0 100 26"
        preserveAspectRatio="none"
        width="100%"
        height={44}
        role="img"
        aria-label={words}
        style={{ display: 'block' }}
      >
        {steps.map((_, i) => {
          const h = 7 + (19 * (i + 1)) / steps.length;
          const done = i + 1 < rung.step;
          const here = i + 1 === rung.step;
          return (
            <rect
              key={i}
              x={i * w + 0.4}
              y={26 - h + 0.6}
              width={w - 0.8}
              height={h - 1.2}
              rx={1}
              fill={done || here ? colour : 'none'}
              opacity={done ? 0.35 : 1}
              stroke={colour}
              strokeWidth={1}
              vectorEffect="non-scaling-stroke"
            />
          );
        })}
      </svg>
      <Typography variant="caption" color="text.secondary">
        {words}
      </Typography>
    </Box>
  );
}
