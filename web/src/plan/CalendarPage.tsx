import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { useCouples } from '../api/hooks';
import { useCalendar } from '../api/plan';
import { CalendarLinks } from './CalendarLinks';
import { RoleMark } from '../shapes/RoleMark';
import { Loaded } from '../shell/State';
import { tone } from '../theme';
import { addDays, day, daysBetween, fullDay, plural, weekday, type Role } from '../words';

const WEEKS = 6;
const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

function Entry({ look }: { look: Schemas['DueLook'] }) {
  const c = look.correction;
  return (
    <Box sx={{ display: 'flex', gap: 0.5, alignItems: 'flex-start', lineHeight: 1.2, mb: 0.5 }}>
      <RoleMark role={c.role as Role} />
      <Typography variant="caption" component={Link} to={`/people/${c.person_id}`}>
        {c.person}: {look.name}
      </Typography>
    </Box>
  );
}

/** Six weeks with looks, lessons and the evening. */
function Month({ dates }: { dates: Schemas['Dates'] }) {
  const [shift, setShift] = useState(0);
  const couples = useCouples();
  const monday = addDays(dates.day, -weekday(dates.day) + 7 * shift);
  const days = Array.from({ length: 7 * WEEKS }, (_, i) => addDays(monday, i));
  const who = (ids: string[]) =>
    (couples.data ?? [])
      .filter((c) => ids.includes(c.id))
      .map((c) => `${c.leader.split(' ')[0]} & ${c.follower.split(' ')[0]}`)
      .join(', ');
  return (
    <Card component="section" aria-label="Calendar" sx={{ p: 1.5, mb: 1.5 }}>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {day(days[0] ?? '')} to {day(days.at(-1) ?? '')}
        </Typography>
        <Button onClick={() => setShift(shift - WEEKS)}>Earlier</Button>
        <Button onClick={() => setShift(0)} disabled={shift === 0}>
          Today
        </Button>
        <Button onClick={() => setShift(shift + WEEKS)}>Later</Button>
      </Box>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: 'repeat(7, minmax(0, 1fr))',
          borderTop: 1,
          borderLeft: 1,
          borderColor: 'divider',
        }}
      >
        {names.map((n) => (
          <Typography
            key={n}
            variant="caption"
            color="text.secondary"
            sx={{ px: 0.75, py: 0.25, borderRight: 1, borderBottom: 1, borderColor: 'divider' }}
          >
            {n}
          </Typography>
        ))}
        {days.map((d) => {
          const looks = dates.looks.filter((l) => l.correction.recheck_on === d);
          const lessons = dates.lessons.filter((l) => l.held_on === d);
          return (
            <Box
              key={d}
              aria-current={d === dates.day ? 'date' : undefined}
              sx={{
                minHeight: 74,
                p: 0.75,
                borderRight: 1,
                borderBottom: 1,
                borderColor: 'divider',
                bgcolor: d === dates.day ? 'action.selected' : undefined,
                color: d < dates.day ? 'text.secondary' : undefined,
              }}
            >
              <Typography
                variant="caption"
                component="div"
                sx={{ fontWeight: d === dates.day ? 700 : 400 }}
              >
                {d.endsWith('-01') || d === days[0] ? day(d) : Number(d.slice(-2))}
              </Typography>
              {dates.event_on === d && (
                <Typography
                  variant="caption"
                  component="div"
                  sx={{ fontWeight: 700, borderLeft: `3px solid ${tone.ink}`, pl: 0.5, mb: 0.5 }}
                >
                  {dates.event}
                </Typography>
              )}
              {lessons.map((l) => (
                <Typography
                  key={l.id}
                  variant="caption"
                  component={Link}
                  to={`/plan/lessons/${l.id}`}
                  sx={{ display: 'block', mb: 0.5, fontWeight: 700 }}
                >
                  Lesson {l.begins_at?.slice(0, 5)} {who(l.couples)}
                </Typography>
              ))}
              {looks.map((l) => (
                <Entry key={l.correction.id} look={l} />
              ))}
            </Box>
          );
        })}
      </Box>
    </Card>
  );
}

/** Everything with a date. */
export function CalendarPage() {
  const calendar = useCalendar();
  return (
    <Loaded of={calendar}>
      {(dates) => {
        const late = dates.looks.filter((l) => (l.correction.recheck_on ?? '') < dates.day);
        const left = dates.event_on ? daysBetween(dates.day, dates.event_on) : null;
        return (
          <>
            <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
              {fullDay(dates.day)}.{' '}
              {late.length > 0 && (
                <>
                  <Link to="/today">{plural(late.length, 'look')} overdue</Link>.{' '}
                </>
              )}
              {left != null && left >= 0 && `${dates.event} in ${plural(left, 'day')}.`} Looks are
              spread so that nobody has more than two on a day; none comes after the evening.
            </Typography>
            <Month dates={dates} />
            <CalendarLinks />
          </>
        );
      }}
    </Loaded>
  );
}
