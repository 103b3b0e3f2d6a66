import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { Ladder } from '../shapes/Ladder';
import { stage } from '../theme';
import { day, fullDay, type Role } from '../words';
import { Week } from './Week';

type Thing = Schemas['Thing'];

/** How a practice can be said to have gone. */
const says: [Schemas['How'], string][] = [
  ['fine', 'It went fine'],
  ['hard', 'It was hard'],
  ['pain', 'It hurt'],
];

function One({
  thing,
  number,
  day: today,
  pictures,
  onReport,
}: {
  thing: Thing;
  number: number | null;
  day: string;
  /** Address under which a correction's still and clip are. */
  pictures: (id: string) => string;
  onReport: ((how: Schemas['How']) => void) | null;
}) {
  const told = thing.reports.find((r) => r.on === today);
  const drill = thing.ladder[thing.rung.step - 1];
  return (
    <Card component="section" aria-label={thing.name} sx={{ p: 2, mb: 1.5, breakInside: 'avoid' }}>
      <Typography variant="h2" gutterBottom>
        {number && `${number}. `}
        {thing.name}
      </Typography>
      <Box
        sx={{
          display: 'grid',
          gap: 1.5,
          gridTemplateColumns: {
            xs: '1fr',
            sm: thing.pictured ? 'minmax(0, 1fr) minmax(0, 1fr)' : '1fr',
          },
        }}
      >
        {thing.pictured && (
          <Box>
            <Box
              component="video"
              controls
              playsInline
              loop
              muted
              preload="none"
              poster={`${pictures(thing.id)}/still`}
              src={`${pictures(thing.id)}/clip`}
              aria-label={`${thing.name}, on film`}
              sx={{
                width: '100%',
                aspectRatio: '16 / 9',
                bgcolor: stage.ground,
                borderRadius: 1,
                display: 'block',
              }}
            />
            <Typography variant="caption" color="text.secondary">
              {thing.figure}
              {thing.count && `, count ${thing.count}`} · {day(thing.seen_on)}
            </Typography>
          </Box>
        )}
        <Box>
          <Typography sx={{ fontSize: 17, fontWeight: 700, mb: 1 }}>“{thing.cue}”</Typography>
          <Typography gutterBottom>
            <strong>Do:</strong> {drill}
            {thing.rung.tempo != null &&
              `, at ${thing.rung.tempo} % of the tempo${thing.tempo ? ` (${Math.round((thing.tempo * thing.rung.tempo) / 100)} beats a minute)` : ''}`}
          </Typography>
          <Typography gutterBottom>
            <strong>It is right when:</strong> {thing.target}
          </Typography>
          {thing.recheck_on && (
            <Typography color="text.secondary" gutterBottom>
              We look again on {fullDay(thing.recheck_on)}.
            </Typography>
          )}
          <Ladder steps={thing.ladder} rung={thing.rung} role={thing.role as Role} />
        </Box>
      </Box>
      {thing.caution && (
        <Alert severity="warning" sx={{ mt: 1 }}>
          {thing.caution} Stop when something hurts, and tell your coach.
        </Alert>
      )}
      {onReport &&
        (thing.rung.stopped ? (
          <Alert severity="error" sx={{ mt: 1 }}>
            You said that it hurt. Stop this drill, and do not try it again before you have spoken
            with your coach. Pain that stays or is strong belongs to a doctor.
          </Alert>
        ) : (
          <Box sx={{ mt: 1.5, '@media print': { display: 'none' } }}>
            <Typography gutterBottom>
              {told
                ? `Today: ${says.find(([h]) => h === told.how)?.[1].toLowerCase()}.`
                : 'Practised today?'}
            </Typography>
            <Box sx={{ display: 'flex', gap: 1 }}>
              {says.map(([how, label]) => (
                <Button
                  key={how}
                  variant={told?.how === how ? 'contained' : 'outlined'}
                  sx={{ flex: 1, minHeight: 48 }}
                  onClick={() => onReport(how)}
                >
                  {label}
                </Button>
              ))}
            </Box>
          </Box>
        ))}
    </Card>
  );
}

/** A student's sheet: two things to do, and the week. */
export function SheetView({
  sheet,
  pictures,
  onReport,
}: {
  sheet: Schemas['Sheet'];
  pictures: (id: string) => string;
  onReport: ((id: string, how: Schemas['How']) => void) | null;
}) {
  const first = sheet.things.filter((t) => t.first);
  const stopped = sheet.things.filter((t) => t.rung.stopped);
  return (
    <>
      <Typography variant="h1" component="h1" sx={{ mt: 2 }}>
        {sheet.person}
      </Typography>
      <Typography color="text.secondary" sx={{ mb: 1.5 }}>
        {sheet.studio} · {fullDay(sheet.day)}
        {sheet.event && sheet.event_on && ` · ${sheet.event} on ${day(sheet.event_on)}`}
      </Typography>
      {sheet.things.length === 0 && (
        <Typography>Nothing to do just now. See you at the next lesson.</Typography>
      )}
      {[...stopped, ...first].map((t) => (
        <One
          key={t.id}
          thing={t}
          number={t.first ? first.indexOf(t) + 1 : null}
          day={sheet.day}
          pictures={pictures}
          onReport={onReport && ((how) => onReport(t.id, how))}
        />
      ))}
      {sheet.things.length > 0 && (
        <Card component="section" aria-label="The week" sx={{ p: 2 }}>
          <Typography variant="h2" gutterBottom>
            Your week
          </Typography>
          <Week
            week={sheet.week}
            things={sheet.things.map((t) => ({ id: t.id, name: t.name, tempo: t.tempo ?? null }))}
          />
          <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
            Short and often helps more than long and seldom. Your coach’s word and a doctor’s come
            before anything on this page.
          </Typography>
        </Card>
      )}
    </>
  );
}
