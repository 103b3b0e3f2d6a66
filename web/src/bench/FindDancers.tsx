import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { useCatalogue, useFind, useStopWork } from '../api/hooks';
import { Failure } from '../shell/State';
import { spoken, type Cell } from './cells';
import { Panel } from './Panel';

type Work = Schemas['WorkView'];

const going = (w: Work) => w.state === 'waiting' || w.state === 'running';

function left(w: Work) {
  if (w.state === 'waiting') return 'waiting for its turn';
  if (w.left == null) return 'beginning';
  return w.left < 60
    ? `about ${Math.max(1, Math.round(w.left))} s left`
    : `about ${Math.round(w.left / 60)} min left`;
}

/** How far each angle is. */
function Going({ work, alone }: { work: Work; alone: boolean }) {
  const stop = useStopWork();
  const words = `Finding the dancers${alone ? '' : ` in angle ${work.angle}`}`;
  return (
    <Box role="group" aria-label={words} sx={{ mt: 0.75 }}>
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1 }}>
        <Typography variant="body2" sx={{ flex: 1 }}>
          {words}: {Math.round(100 * work.progress)} %, {left(work)}
        </Typography>
        <Button size="small" loading={stop.isPending} onClick={() => stop.mutate(work.id)}>
          Stop
        </Button>
      </Stack>
      <LinearProgress
        aria-label={words}
        variant={work.state === 'waiting' ? 'indeterminate' : 'determinate'}
        value={100 * work.progress}
      />
      <Failure error={stop.error} />
    </Box>
  );
}

/** Both dancers found in the film by the program, and put right by the coach. */
export function FindDancers({
  take,
  work,
  sights,
  angles,
  exchange,
  looping,
  doubts,
  here,
  cells,
  next,
}: {
  take: string;
  work: Work[];
  /** What was found in the angle that is looked at. */
  sights: Schemas['Pose'][];
  angles: number;
  exchange: (part: 'all' | 'from here') => void;
  looping: boolean;
  /** Where marks by hand would settle most. */
  doubts: Schemas['Doubt'][];
  /** The one in hand. */
  here: Schemas['Doubt'] | undefined;
  cells: Cell[];
  next: () => void;
}) {
  const catalogue = useCatalogue();
  const place = (d: Schemas['Doubt']) => {
    const cell = cells.find((c) => c.repetition === d.repetition && c.count === d.count);
    return `${d.role}, repetition ${d.repetition + 1}, count ${cell ? spoken(cells, cell) : d.count + 1}`;
  };
  const settles = (d: Schemas['Doubt']) =>
    d.faults
      .map((id) => catalogue.data?.faults.find((f) => f.id === id)?.name.toLowerCase() ?? id)
      .join(', ');
  const first = doubts[0];
  const find = useFind(take);
  const all = work.filter((w) => w.kind === 'find');
  const running = all.filter(going);
  const failed = all.filter((w) => w.state === 'failed');
  const times = new Set(sights.map((s) => s.at)).size;
  return (
    <Panel
      title="Found in the film"
      note={times > 0 ? `${sights.length} bodies in ${times} pictures` : undefined}
    >
      <Typography variant="body2" color="text.secondary">
        {times > 0
          ? angles === 1
            ? 'Found from one side, one foot in ten of simulated couples was 8 cm off and one facing in ten 10°, more in a close hold: what is not sure enough is not called a fault. Mark what matters by hand, which outranks it, or film from two sides. Pale points may as well lie elsewhere.'
            : 'Each point comes with its own uncertainty; pale ones may as well lie elsewhere. What you mark by hand outranks it.'
          : 'Both dancers can be found without a hand. It takes about twice as long as the clip; you may go on meanwhile.'}
      </Typography>
      {running.map((w) => (
        <Going key={w.id} work={w} alone={angles === 1} />
      ))}
      {running.length === 0 &&
        failed.map((w) => (
          <Alert key={w.id} severity="warning" sx={{ mt: 0.75 }}>
            {w.failure}
          </Alert>
        ))}
      <Stack direction="row" sx={{ gap: 0.75, mt: 0.75, flexWrap: 'wrap' }}>
        {running.length === 0 && (
          <Button
            variant={times > 0 ? 'text' : 'contained'}
            loading={find.isPending}
            onClick={() => find.mutate()}
          >
            {times > 0 ? 'Find again' : 'Find both dancers'}
          </Button>
        )}
        {times > 0 && (
          <>
            <Button variant="outlined" onClick={() => exchange('all')}>
              Exchange their names
            </Button>
            <Button onClick={() => exchange('from here')}>
              {looping ? 'Only in the loop' : 'Only from here on'}
            </Button>
          </>
        )}
      </Stack>
      {first && (
        <Box sx={{ mt: 1 }}>
          <Typography variant="body2" role="status">
            {here ? (
              <>
                Marks here would settle: <b>{settles(here)}</b>. They also put right what was found
                in the half second around.
              </>
            ) : (
              <>
                Least certain: {place(first)} ({settles(first)}).
              </>
            )}
          </Typography>
          <Button onClick={next} aria-keyshortcuts="m">
            {here ? 'Next least certain count' : 'Go to the least certain count'}
          </Button>
        </Box>
      )}
      <Failure error={find.error} />
    </Panel>
  );
}
