import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { RoleMark } from '../shapes/RoleMark';
import { tone } from '../theme';
import { plural, type Role } from '../words';

export const doing: Record<Schemas['Doing'], string> = {
  warm_up: 'Warm up',
  look: 'Look again',
  work: 'Work on it',
  free: 'Their own wish',
  whole_run: 'The whole dance once',
};

function clock(begins: string | null | undefined, minutes: number) {
  if (!begins) return `${minutes} min`;
  const [h = 0, m = 0] = begins.split(':').map(Number);
  const at = 60 * h + m + minutes;
  const two = (n: number) => String(n).padStart(2, '0');
  return `${two(Math.floor(at / 60) % 24)}:${two(at % 60)}`;
}

/** A lesson's stretches in order; the one in hand stands out. */
export function Blocks({
  plan,
  about,
  name,
  begins,
  now,
}: {
  plan: Schemas['Lesson'];
  about: Schemas['Practised'][];
  name: (couple: string) => string;
  begins?: string | null;
  now?: number;
}) {
  const task = (id: string | null | undefined) => about.find((p) => p.correction.id === id);
  return (
    <>
      <Box component="ol" sx={{ listStyle: 'none', p: 0, m: 0 }}>
        {plan.blocks.map((b, i) => {
          const p = task(b.task);
          return (
            <Box
              component="li"
              key={i}
              aria-current={i === now ? 'step' : undefined}
              sx={{
                display: 'grid',
                gridTemplateColumns: '58px 52px minmax(0, 1fr)',
                gap: 1,
                py: 0.75,
                px: 0.75,
                borderTop: 1,
                borderColor: 'divider',
                bgcolor: i === now ? 'action.selected' : undefined,
                borderLeft: `4px solid ${b.doing === 'look' ? tone.fine : b.doing === 'work' ? tone.ink : 'transparent'}`,
              }}
            >
              <Typography variant="body2" color="text.secondary">
                {clock(begins, b.from)}
              </Typography>
              <Typography variant="body2">{b.minutes} min</Typography>
              <Box>
                <Typography variant="body2" sx={{ fontWeight: 700 }}>
                  {doing[b.doing]}
                  {b.couple ? `: ${name(b.couple)}` : ', everybody'}
                </Typography>
                {p && (
                  <Box sx={{ display: 'flex', gap: 0.75, alignItems: 'center' }}>
                    <RoleMark role={p.correction.role as Role} />
                    <Typography variant="body2">
                      {p.correction.person}: {p.name}. “{p.correction.cue}”
                    </Typography>
                  </Box>
                )}
                {p?.caution && (
                  <Typography variant="caption" sx={{ color: 'caution.main', fontWeight: 700 }}>
                    Caution: {p.caution}
                  </Typography>
                )}
              </Box>
            </Box>
          );
        })}
      </Box>
      {plan.left_out.length > 0 && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          No time for {plural(plan.left_out.length, 'thing')}:{' '}
          {plan.left_out
            .map((id) => task(id))
            .map((p) => (p ? `${p.correction.person}, ${p.name}` : ''))
            .filter(Boolean)
            .join('; ')}
          .
        </Typography>
      )}
    </>
  );
}
