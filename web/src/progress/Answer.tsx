import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { plainReading, plural, quantity } from '../words';
import { Status } from './FaultGrid';

const sentence: Record<Schemas['Answer'], string> = {
  one_take: 'One take only; look again to compare.',
  no_change_that_can_be_told: 'No change that can be told.',
  better: 'Better, and it is real.',
  worse: 'Worse, and it is real.',
};

/** The straight answer, and what it rests on. */
export function Answer({ of }: { of: Schemas['FaultProgress'] }) {
  const p = of.progress;
  const say = (value: number) => plainReading(of.measure, value, of.unit);
  const slipped = p.against === 'when_it_held' && p.answer === 'worse';
  const tempos = of.tempos.filter((t): t is number => t != null);
  const [slow, fast] = [Math.min(...tempos), Math.max(...tempos)];
  const steady = fast / slow < 1.06;
  const trend = p.trend;
  const told = trend && (trend.interval[0] ?? 0) * (trend.interval[1] ?? 0) > 0;
  return (
    <>
      <Typography variant="h2" gutterBottom>
        The answer
      </Typography>
      <Typography sx={{ fontSize: 20, fontWeight: 700, lineHeight: 1.2, mb: 1 }}>
        {slipped ? 'It slipped back, and that is real.' : sentence[p.answer]}
      </Typography>
      {p.answer !== 'one_take' && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          From {say(p.before.value)}
          {p.against === 'when_it_held' && ', where it had held,'} to {say(p.now.value)}. Smallest
          change that could be told here: {quantity(p.smallest_real_change, of.unit)}.
        </Typography>
      )}
      {trend && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          {told
            ? `Over the whole time it moves by ${quantity(Math.abs(trend.per_week), of.unit)} a week.`
            : 'No steady trend over the whole time.'}
        </Typography>
      )}
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        Same figure and partner.{' '}
        {tempos.length === 0
          ? ''
          : steady
            ? `Tempo ${fast.toFixed(0)} throughout.`
            : `The tempo differs, ${slow.toFixed(0)} to ${fast.toFixed(0)}: compare with care.`}
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}>
        <Status status={p.status} />
        <Typography variant="body2" color="text.secondary">
          over {plural(p.takes.length, 'take')}
        </Typography>
      </Box>
      <Typography variant="body2">
        <Link to={`/takes/${of.takes.at(-1)}`}>The newest take</Link> ·{' '}
        <Link to={`/takes/${of.takes[0]}`}>the first</Link> ·{' '}
        <Link to={`/people/${of.person_id}`}>the log</Link>
      </Typography>
    </>
  );
}
