import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import LinearProgress from '@mui/material/LinearProgress';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useEffect, useState } from 'react';
import { useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useCatalogue, useChart, useCharts, useCouples, useLook } from '../api/hooks';
import { useEndLesson, useLesson, useLiveNote } from '../api/plan';
import { RoleMark } from '../shapes/RoleMark';
import { Failure, Loaded } from '../shell/State';
import { fullDay, roles, type Role } from '../words';
import { Blocks, doing } from './Blocks';

type View = Schemas['LessonView'];

const big = { minHeight: 56, fontSize: 16, flex: 1 } as const;

/** How long the stretch in hand has gone on, in seconds; it survives a reload of the page. */
function useTimer(key: string) {
  const [now, setNow] = useState(() => Date.now());
  const [since, setSince] = useState<number | null>(() => {
    const kept = Number(window.localStorage.getItem(key));
    return kept > 0 ? kept : null;
  });
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now()), 1000);
    return () => window.clearInterval(timer);
  }, []);
  const set = (at: number | null) => {
    if (at === null) window.localStorage.removeItem(key);
    else window.localStorage.setItem(key, String(at));
    setSince(at);
    setNow(Date.now());
  };
  return {
    seconds: since === null ? null : Math.max(0, Math.floor((now - since) / 1000)),
    restart: () => set(Date.now()),
    stop: () => set(null),
  };
}

function clockText(seconds: number) {
  const sign = seconds < 0 ? '−' : '';
  const s = Math.abs(seconds);
  return `${sign}${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
}

/** What was seen, by fault, role and count: three touches. */
function QuickLog({ view, couple }: { view: View; couple: Schemas['Couple'] }) {
  const id = view.lesson?.id ?? '';
  const note = useLiveNote(id);
  const charts = useCharts();
  const catalogue = useCatalogue();
  const mine = view.about.filter((p) =>
    [couple.leader_id, couple.follower_id].includes(p.correction.person_id),
  );
  const usual = mine[0]?.correction.chart ?? charts.data?.[0]?.id ?? '';
  const [figure, setFigure] = useState('');
  const [role, setRole] = useState<Role>('leader');
  const [fault, setFault] = useState('');
  const [count, setCount] = useState<number | null>(null);
  const chart = charts.data?.find((c) => c.id === (figure || usual));
  const sketch = useChart(chart?.id).data?.sketch;
  const fits = (f: Schemas['Fault']) => f.who === 'each' || f.who === 'couple' || f.who === role;
  const faults = (catalogue.data?.faults ?? []).filter(fits);
  const chosen = faults.some((f) => f.id === fault) ? fault : '';
  return (
    <Card component="section" aria-label="What I see" sx={{ p: 1.5 }}>
      <Typography variant="h2" gutterBottom>
        What I see: {couple.leader} &amp; {couple.follower}
      </Typography>
      <Box sx={{ display: 'grid', gap: 1.5 }}>
        <ToggleButtonGroup
          exclusive
          fullWidth
          aria-label="Whose"
          value={role}
          onChange={(_, v: Role | null) => v && setRole(v)}
        >
          {roles.map((r) => (
            <ToggleButton key={r} value={r} sx={{ minHeight: 52, gap: 1 }}>
              <RoleMark role={r} />
              {r === 'leader' ? couple.leader : couple.follower}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <TextField
          select
          label="Fault"
          value={chosen}
          onChange={(e) => setFault(e.target.value)}
          slotProps={{ select: { sx: { minHeight: 52 } } }}
        >
          {faults.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Figure"
          value={charts.data ? figure || usual : ''}
          onChange={(e) => {
            setFigure(e.target.value);
            setCount(null);
          }}
        >
          {(charts.data ?? []).map((c) => (
            <MenuItem key={c.id} value={c.id}>
              {c.dance}: {c.name}
            </MenuItem>
          ))}
        </TextField>
        {sketch && (
          <ToggleButtonGroup
            exclusive
            aria-label="Count"
            value={count}
            onChange={(_, v: number | null) => setCount(v)}
            sx={{ flexWrap: 'wrap' }}
          >
            {sketch.pattern.marks.map(({ label }, i) => (
              <ToggleButton key={i} value={i} sx={{ minWidth: 48, minHeight: 48 }}>
                {label}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
        )}
        <Box sx={{ display: 'flex', gap: 1 }}>
          {[
            [1, 'A little'],
            [2, 'Clearly'],
            [3, 'Strongly'],
          ].map(([grade, label]) => (
            <Button
              key={grade}
              variant="outlined"
              sx={big}
              disabled={!chosen || !chart || note.isPending}
              onClick={() =>
                note.mutate(
                  {
                    couple: couple.id,
                    fault: chosen,
                    role,
                    chart: chart?.id ?? '',
                    count,
                    grade: Number(grade),
                  },
                  {
                    onSuccess: () => {
                      setFault('');
                      setCount(null);
                    },
                  },
                )
              }
            >
              {label}
            </Button>
          ))}
        </Box>
        {note.isSuccess && !chosen && (
          <Alert severity="success">Logged. It is in their log like any other correction.</Alert>
        )}
        <Failure error={note.error} />
      </Box>
    </Card>
  );
}

/** A lesson as it is held: large buttons, a clock, and what was seen in it. */
function Live({ view }: { view: View }) {
  const kept = view.lesson;
  const id = kept?.id ?? '';
  const couples = useCouples();
  const look = useLook();
  const end = useEndLesson(id);
  const key = `upright-lesson-${id}`;
  const [at, setAt] = useState(() => Number(window.localStorage.getItem(`${key}-at`)) || 0);
  const timer = useTimer(key);
  const name = (c: string) => {
    const found = couples.data?.find((x) => x.id === c);
    return found ? `${found.leader} & ${found.follower}` : '';
  };
  const block = view.plan.blocks[at];
  const task = view.about.find((p) => p.correction.id === block?.task);
  const [shown, setShown] = useState<string | null>(null);
  const inHand = shown ?? block?.couple ?? kept?.couples[0];
  const couple = couples.data?.find((c) => c.id === inHand);
  const go = (to: number) => {
    setAt(to);
    setShown(null);
    window.localStorage.setItem(`${key}-at`, String(to));
    timer.restart();
  };
  const left = block && timer.seconds !== null ? 60 * block.minutes - timer.seconds : null;
  return (
    <>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {kept && fullDay(kept.held_on)}
        {kept?.begins_at && `, ${kept.begins_at.slice(0, 5)}`}
        {kept?.ended && ' · over'}
      </Typography>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 1.2fr) minmax(0, 1fr)' },
          gap: 1.5,
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          <Card component="section" aria-label="Now" sx={{ p: 2 }}>
            {block && (
              <>
                <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 2 }}>
                  <Typography sx={{ fontSize: 22, fontWeight: 700, flex: 1 }}>
                    {doing[block.doing]}
                    {block.couple ? `: ${name(block.couple)}` : ''}
                  </Typography>
                  <Typography
                    role="timer"
                    aria-label="Time left"
                    sx={{
                      fontSize: 30,
                      fontWeight: 700,
                      color: left !== null && left < 0 ? 'caution.main' : undefined,
                    }}
                  >
                    {left === null ? `${block.minutes}:00` : clockText(left)}
                  </Typography>
                </Box>
                {left !== null && (
                  <LinearProgress
                    variant="determinate"
                    aria-label="Of this stretch"
                    value={Math.min(100, 100 - (100 * left) / (60 * block.minutes))}
                    sx={{ my: 1 }}
                  />
                )}
                {task && (
                  <Box sx={{ my: 1.5 }}>
                    <Typography sx={{ fontSize: 16 }}>
                      {task.correction.person}: {task.name}
                    </Typography>
                    <Typography sx={{ fontSize: 18, fontWeight: 700, my: 0.5 }}>
                      “{task.correction.cue}”
                    </Typography>
                    <Typography>{task.ladder[task.rung.step - 1]}</Typography>
                    <Typography color="text.secondary">Target: {task.correction.target}</Typography>
                    {task.caution && (
                      <Alert severity="warning" sx={{ mt: 1 }}>
                        {task.caution}
                      </Alert>
                    )}
                  </Box>
                )}
                {block.doing === 'look' && task && (
                  <Box sx={{ display: 'flex', gap: 1, mb: 1 }}>
                    {[
                      [true, 'Fine'],
                      [false, 'Not yet'],
                    ].map(([fine, label]) => (
                      <Button
                        key={String(fine)}
                        variant="outlined"
                        sx={big}
                        disabled={look.isPending}
                        onClick={() =>
                          look.mutate(
                            { id: task.correction.id, fine: Boolean(fine) },
                            { onSuccess: () => at + 1 < view.plan.blocks.length && go(at + 1) },
                          )
                        }
                      >
                        {label}
                      </Button>
                    ))}
                  </Box>
                )}
                <Failure error={look.error ?? end.error} />
                <Box sx={{ display: 'flex', gap: 1 }}>
                  <Button sx={big} disabled={at === 0} onClick={() => go(at - 1)}>
                    Back
                  </Button>
                  {timer.seconds === null ? (
                    <Button variant="contained" sx={big} onClick={() => go(at)}>
                      Start
                    </Button>
                  ) : at + 1 < view.plan.blocks.length ? (
                    <Button variant="contained" sx={big} onClick={() => go(at + 1)}>
                      Next
                    </Button>
                  ) : (
                    <Button
                      variant="contained"
                      sx={big}
                      onClick={() => {
                        timer.stop();
                        end.mutate(true);
                      }}
                    >
                      The lesson is over
                    </Button>
                  )}
                </Box>
              </>
            )}
          </Card>
          <Card component="section" aria-label="The whole lesson" sx={{ p: 1.5 }}>
            <Blocks
              plan={view.plan}
              about={view.about}
              name={name}
              begins={kept?.begins_at}
              now={at}
            />
          </Card>
        </Box>
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          {(kept?.couples.length ?? 0) > 1 && (
            <ToggleButtonGroup
              exclusive
              fullWidth
              aria-label="Couple in view"
              value={inHand ?? null}
              onChange={(_, v: string | null) => v && setShown(v)}
            >
              {kept?.couples.map((c) => (
                <ToggleButton key={c} value={c} sx={{ minHeight: 48 }}>
                  {name(c)}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
          )}
          {couple && <QuickLog key={couple.id} view={view} couple={couple} />}
        </Box>
      </Box>
    </>
  );
}

/** One lesson. */
export function LessonPage() {
  const { id = '' } = useParams();
  const lesson = useLesson(id);
  return <Loaded of={lesson}>{(view) => <Live key={id} view={view} />}</Loaded>;
}
