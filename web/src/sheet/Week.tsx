import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { day, dayName } from '../words';

/** The rest of a caution stands with its drill, on the same page. */
function firstSentence(text: string) {
  return /^.*?[.;!](?=\s|$)/.exec(text)?.[0] ?? text;
}

/** A practice week, a day a column (a row on a phone). */
export function Week({
  week,
  things,
}: {
  week: Schemas['Week'];
  things: { id: string; name: string; tempo: number | null }[];
}) {
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: 'repeat(7, minmax(0, 1fr))' },
        gap: 0.75,
      }}
    >
      {week.days.map((d) => (
        <Box
          key={d.date}
          component="section"
          aria-label={day(d.date)}
          sx={{
            border: 1,
            borderColor: 'divider',
            borderRadius: 1,
            p: 0.75,
            breakInside: 'avoid',
          }}
        >
          <Typography variant="body2" sx={{ fontWeight: 700 }}>
            {dayName(d.date)} {day(d.date)}
          </Typography>
          {d.items.length === 0 ? (
            <Typography variant="caption" color="text.secondary">
              {d.rest ? 'rest' : 'nothing'}
            </Typography>
          ) : (
            d.items.map((i) => {
              const of = things.find((t) => t.id === i.exercise);
              return (
                <Box key={i.exercise} sx={{ mt: 0.75 }}>
                  <Typography variant="body2" sx={{ lineHeight: 1.25 }}>
                    <strong>{i.minutes} min</strong> {of?.name}
                  </Typography>
                  <Typography variant="caption" sx={{ display: 'block', lineHeight: 1.25 }}>
                    {i.drill}
                    {i.tempo != null &&
                      ` · ${i.tempo} %${of?.tempo ? ` (${Math.round((of.tempo * i.tempo) / 100)} beats a minute)` : ''}`}
                    {i.turn && ` · first to the ${i.turn}`}
                  </Typography>
                  {i.caution && (
                    <Typography
                      variant="caption"
                      title={i.caution}
                      sx={{
                        display: 'block',
                        color: 'caution.main',
                        fontWeight: 700,
                        lineHeight: 1.25,
                      }}
                    >
                      Caution: {firstSentence(i.caution)}
                    </Typography>
                  )}
                </Box>
              );
            })
          )}
        </Box>
      ))}
    </Box>
  );
}
