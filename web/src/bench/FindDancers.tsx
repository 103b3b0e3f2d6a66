import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import LinearProgress from '@mui/material/LinearProgress';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import type { Role } from '../words';
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

const by: Record<Schemas['By'], string> = {
  coach: 'as you said',
  clothes: 'by their clothes, as earlier that day',
  metres: 'by their heights over the floor',
  picture: 'by how tall they look in the picture',
  nothing: 'for want of anything that tells: the one on the left',
};

/** What finding them told: who was taken for whom, and who was left out. */
function Told({ told }: { told: Schemas['FoundView'] }) {
  const sure = told.leads.by === 'coach' ? '' : `, ${Math.round(100 * told.leads.sure)} % sure`;
  const others =
    told.others === 0
      ? ''
      : told.others === 1
        ? 'Somebody else in the picture was left out. '
        : `${told.others} others in the picture were left out. `;
  return (
    <Typography variant="body2" role="status" sx={{ mt: 0.75 }}>
      {told.alone
        ? `One dancer was found and nobody who dances along: no second name was given out, and what needs two is not judged. ${others}Taken for leader or follower ${by[told.leads.by]}${sure}.`
        : `${others}Leader and follower were told apart ${by[told.leads.by]}${sure}.`}
      {told.harder && ' The larger network looked.'}
    </Typography>
  );
}

/** Both dancers found in the film by the program, and put right by the coach. */
export function FindDancers({
  take,
  work,
  sights,
  told,
  angles,
  pointing,
  picks,
  one,
  onlyOne,
  point,
  forget,
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
  /** What finding them there told. */
  told: Schemas['FoundView'] | null;
  angles: number;
  /** Whom the next click in the film says to be dancing. */
  pointing: Role | null;
  picks: Schemas['Picked'][];
  /** One dancer only is in the film. */
  one: boolean;
  onlyOne: (one: boolean) => void;
  point: (role: Role | null) => void;
  forget: () => void;
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
      {times > 0 && told && <Told told={told} />}
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
            onClick={() => find.mutate({ harder: false, one, picks })}
          >
            {times > 0 ? 'Find again' : 'Find both dancers'}
          </Button>
        )}
        {running.length === 0 && (
          <Button
            loading={find.isPending}
            onClick={() => find.mutate({ harder: true, one, picks })}
            title="A larger network, about three times the time"
          >
            Look harder
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
      {running.length === 0 && (
        <Box sx={{ mt: 0.75 }}>
          <Typography variant="body2" color="text.secondary">
            {pointing
              ? `Click on the ${pointing} in the film.`
              : picks.length > 0
                ? `${picks.map((p) => `The ${p.role} is pointed at${angles > 1 ? ` in angle ${p.angle}` : ''}`).join('. ')}. Find again to follow who is meant.`
                : 'Others in the picture? Say who is meant: one click each.'}
          </Typography>
          <Stack direction="row" sx={{ gap: 0.75, flexWrap: 'wrap' }}>
            {(['leader', 'follower'] as const).map((r) => (
              <Button
                key={r}
                size="small"
                variant={pointing === r ? 'contained' : 'text'}
                aria-pressed={pointing === r}
                onClick={() => point(pointing === r ? null : r)}
              >
                Point at the {r}
              </Button>
            ))}
            <FormControlLabel
              control={<Checkbox size="small" checked={one} onChange={(_, to) => onlyOne(to)} />}
              label="Only one dances"
              slotProps={{ typography: { variant: 'body2' } }}
            />
            {picks.length > 0 && (
              <Button size="small" onClick={forget}>
                Forget whom I pointed at
              </Button>
            )}
          </Stack>
        </Box>
      )}
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
