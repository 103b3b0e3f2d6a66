import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { usePractice } from '../api/plan';
import { Ladder } from '../shapes/Ladder';
import { day, plainReading, plural, quantity } from '../words';
import { Status } from './FaultGrid';

const sentence: Record<Schemas['Answer'], string> = {
  one_take: 'One take only; look again to compare.',
  nothing_alike: 'No earlier take is like the newest one.',
  no_change_that_can_be_told: 'No change that can be told.',
  better: 'Better, and it is real.',
  worse: 'Worse, and it is real.',
};

/** In what two takes differ, in words. */
export function differs(d: Schemas['Difference']) {
  switch (d.in) {
    case 'tempo':
      return `tempo ${d.from.toFixed(0)} → ${d.to.toFixed(0)}`;
    case 'angle':
      return `the phone stood ${d.by.toFixed(0)}° further round${d.bridged ? ', two phones both times' : ''}`;
    case 'place':
      return `place: ${d.from} → ${d.to}`;
    case 'floor':
      return `floor: ${d.from} → ${d.to}`;
    case 'shoes':
      return `shoes: ${d.from} → ${d.to}`;
  }
}

function shapeWords(of: Schemas['FaultProgress']) {
  const { shape, takes, left_out } = of.progress;
  const alike = takes.filter((_, i) => !left_out.includes(i));
  if (!shape || shape.is === 'steady') return null;
  if (shape.is === 'drift') return 'It moves little by little.';
  const at = alike[shape.at];
  return `It went over to a new level${at ? ` on ${day(at.date)}` : ''}, from ${plainReading(of.measure, shape.from.value, of.unit)} to ${plainReading(of.measure, shape.to.value, of.unit)}.`;
}

const acrossWords: Record<Schemas['Across'], string> = {
  person: 'It shows with every partner: it is their own.',
  couple: 'It is less with another partner: it comes from dancing together.',
  cannot_be_told: 'Whether it is their own or the couple’s cannot be told yet.',
};

/** The straight answer, what it rests on, and what comes next. */
export function Answer({ of }: { of: Schemas['FaultProgress'] }) {
  const p = of.progress;
  const practice = usePractice(of.person_id);
  const mine = practice.data?.exercises.find(
    (e) => e.correction.fault === of.fault && e.correction.chart === of.chart,
  );
  const say = (value: number) => plainReading(of.measure, value, of.unit);
  const slipped = p.against === 'when_it_held' && p.answer === 'worse';
  const trend = p.trend;
  const told = trend && (trend.interval[0] ?? 0) * (trend.interval[1] ?? 0) > 0;
  const compared = p.answer !== 'one_take' && p.answer !== 'nothing_alike';
  const { frequency, budget } = p;
  const shape = shapeWords(of);
  const parts = [
    budget.coach > 0 && `your own marking ${quantity(budget.coach, of.unit)}`,
    budget.day > 0 && `from day to day ${quantity(budget.day, of.unit)}`,
  ].filter(Boolean);
  const alike = of.takes.filter((_, i) => !p.left_out.includes(i));
  return (
    <>
      <Typography variant="h2" gutterBottom>
        The answer
      </Typography>
      <Typography sx={{ fontSize: 20, fontWeight: 700, lineHeight: 1.2, mb: 1 }}>
        {slipped ? 'It slipped back, and that is real.' : sentence[p.answer]}
      </Typography>
      {compared && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          From {say(p.before.value)}
          {p.against === 'when_it_held' && ', where it had held,'} to {say(p.now.value)}. Smallest
          change that could be told here: {quantity(p.smallest_real_change, of.unit)}.
        </Typography>
      )}
      {frequency && compared && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          It showed in {frequency.before[0]} of {frequency.before[1]} repetitions, now in{' '}
          {frequency.now[0]} of {frequency.now[1]}
          {frequency.real ? ', and that is real too.' : '; too few to tell a difference.'}
        </Typography>
      )}
      {(shape ?? trend) && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          {shape}{' '}
          {trend &&
            (told
              ? `Over the whole time ${quantity(Math.abs(trend.per_week), of.unit)} a week.`
              : 'No steady trend over the whole time.')}
        </Typography>
      )}
      {of.across && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          {acrossWords[of.across]}
        </Typography>
      )}
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        {p.differences.length === 0
          ? 'Same figure, partner, tempo and angle.'
          : `Same figure and partner; not the same: ${p.differences.map(differs).join('; ')}.`}{' '}
        {p.left_out.length > 0 &&
          `${plural(p.left_out.length, 'take')} too unlike to be compared (crossed out).`}{' '}
        {parts.length > 0 && `The error of a take holds ${parts.join(' and ')}.`}
      </Typography>
      {mine && (
        <Box sx={{ mb: 1 }}>
          <Ladder steps={mine.ladder} rung={mine.rung} role={of.role} />
          {mine.rung.stopped && (
            <Alert severity="warning" sx={{ mt: 1 }}>
              It hurt in practice. It waits until you have spoken about it:{' '}
              <Link to={`/plan/practice/${of.person_id}`}>practice</Link>.
            </Alert>
          )}
        </Box>
      )}
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1, flexWrap: 'wrap' }}>
        <Status status={p.status} />
        <Typography variant="body2" color="text.secondary">
          over {plural(p.takes.length, 'take')}
          {mine?.correction.recheck_on && ` · next look ${day(mine.correction.recheck_on)}`}
        </Typography>
      </Box>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', '@media print': { display: 'none' } }}>
        {alike.length > 1 && (
          <Button
            variant="outlined"
            component={Link}
            to={`/progress/${of.person_id}/then-and-now?then=${alike[0]}&now=${alike.at(-1)}`}
          >
            Then and now
          </Button>
        )}
        <Button component={Link} to={`/takes/${of.takes.at(-1)}`}>
          Newest take
        </Button>
        <Button component={Link} to={`/people/${of.person_id}`}>
          Log
        </Button>
      </Box>
    </>
  );
}
