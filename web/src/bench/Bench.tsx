import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import CircularProgress from '@mui/material/CircularProgress';
import Typography from '@mui/material/Typography';
import { useEffect, useMemo, useState } from 'react';
import type { Schemas } from '../api/client';
import {
  useChart,
  useCouples,
  useCorner,
  useExchange,
  useFloorBefore,
  useHear,
  useMarks,
  useReviewed,
  useSights,
  useSpace,
  useWaveform,
  useWithdraw,
  useWork,
} from '../api/hooks';
import { useKeys, type KeyMap } from '../shell/keys';
import { day, plural, quantity } from '../words';
import { cellAt, findingKey, momentOf, NEAR, posesNear, spoken, type Cell } from './cells';
import { CorrectionSheet, DismissSheet } from './CorrectionSheet';
import { BringClip } from '../takes/Sending';
import { Angle, WhichAngle } from './Angle';
import { CountCard } from './CountCard';
import { Exchange } from './Exchange';
import { EyeSheet, type About } from './EyeSheet';
import { Findings } from './Findings';
import { RulesDialog } from '../people/RulesDialog';
import { FindDancers } from './FindDancers';
import { FloorPlan } from './FloorPlan';
import { InSpace } from './InSpace';
import { corners, landmarks, type Body } from './landmarks';
import type { Marking, Pixel } from './Overlay';
import { BodiesPanel, ChartPanel, CountPanel, FloorPanel, laid, type Send } from './panels';
import { nearestFrame, usePlayer } from './player';
import { LanesMenu } from './LanesMenu';
import { Rail } from './Rail';
import { Stage } from './Stage';
import { Still } from './Still';
import { fresh, useBenchState, type Mode } from './state';
import { Transport } from './Transport';

type Judged = Schemas['Judged'];

/** What is marked on a further angle; the reference's size is the take's. */
const angleMarks = (
  marks: Schemas['Marks'],
  angle: number,
): Pick<Schemas['Marks'], 'floor' | 'poses'> => {
  const there = marks.angles?.[String(angle)];
  const floor = marks.floor && { ...marks.floor, points: marks.floor.points.map(() => null) };
  return { floor: there?.floor ?? floor, poses: there?.poses ?? [] };
};

/** A reference that is laid out where none is yet, metres. */
const USUAL_CORNERS = [
  [-1, -0.5],
  [1, -0.5],
  [1, 0.5],
  [-1, 0.5],
];

const clampPixel = (p: Pixel): Pixel => [Math.round(p[0] * 10) / 10, Math.round(p[1] * 10) / 10];

export function Bench({
  view,
  bench,
  charts,
}: {
  view: Schemas['TakeView'];
  bench: Schemas['BenchView'];
  charts: Schemas['ChartCard'][];
}) {
  const { take, clip } = view;
  const { marks, analysis, decisions, cautions } = bench;
  const state = useBenchState();
  const { mode, role, corner, landmark, set } = state;
  const player = usePlayer(clip);
  const marking = useMarks(take.id);
  const withdraw = useWithdraw(take.id);
  const reviewed = useReviewed(take.id);
  const [confirming, setConfirming] = useState<Judged | null>(null);
  const [adding, setAdding] = useState<About | null>(null);
  const [rules, setRules] = useState(false);
  const [dismissing, setDismissing] = useState<Judged | null>(null);
  const [inSpace, setInSpace] = useState(false);
  const [toTell, setToTell] = useState<string | null>(null);
  const [notes, setNotes] = useState(false);
  const send: Send = (...entries) => marking.mutate(entries);

  // Another take begins with empty hands.
  useEffect(() => set(fresh), [set]);

  const chart = useChart(marks.chart ?? undefined).data?.sketch ?? undefined;
  const couple = useCouples().data?.find((c) => c.id === take.couple_id);
  const cells = useMemo(() => analysis.count?.cells ?? [], [analysis.count]);
  const cell = useMemo(() => cellAt(cells, player.at), [cells, player.at]);

  const pick = (to: Cell) => {
    // Another count is another body to mark, from its first point on.
    if (mode === 'bodies') set({ landmark: 0 });
    player.seekTime(mode === 'bodies' ? momentOf(analysis, to, role) : to.at);
  };
  const countBy = (by: number) => {
    const i = cell ? cells.indexOf(cell) : 0;
    const to = cells[Math.max(0, Math.min(cells.length - 1, i + by))];
    if (to) pick(to);
  };
  const repetitionBy = (by: number) => {
    const to = cells.find((c) => c.count === 0 && c.repetition === (cell?.repetition ?? 0) + by);
    if (to) pick(to);
  };
  const toDigit = (digit: number) => {
    const rep = cells.filter((c) => c.repetition === (cell?.repetition ?? 0) && !c.between);
    const to = rep.find((c) => c.label === String(digit)) ?? rep[digit - 1];
    if (to) pick(to);
  };

  // Floor and bodies are marked on one angle's picture, in that clip's own time.
  const further = view.further.find((c) => c.angle === state.angle && c.state === 'ready');
  const pictured = further ? angleMarks(marks, further.angle) : marks;
  const here = further
    ? (further.frames[nearestFrame(further.frames, player.at - further.offset)] ?? 0)
    : player.at;
  const pointed = further ?? clip;
  const sights = useSights(take.id, 1, clip?.landmarks != null);
  const beside = useSights(take.id, further?.angle ?? 1, further?.landmarks != null);
  const found = (further ? beside.data : sights.data) ?? [];
  const exchange = useExchange(take.id);
  // Nobody is marked yet: the shortest way is offered at once.
  const unmarked =
    mode === 'watch' &&
    clip?.state === 'ready' &&
    clip.landmarks == null &&
    marks.poses.length === 0;
  const mark = (m: Schemas['MarkCommand']) =>
    send(further ? { do: 'on_angle', angle: further.angle, mark: m } : m);
  const poseHere = pictured.poses.find((p) => p.role === role && p.at === here);
  const name = landmarks[landmark]?.[0] ?? 'left_heel';

  const tap = () => {
    // While it plays, the film's own clock is finer than the frame on show.
    const at =
      player.playing && player.video && clip
        ? Math.max(0, Math.round(player.video.currentTime * 1e6 - clip.start))
        : player.at;
    if (mode !== 'count') set({ mode: 'count' });
    send({ do: 'tap', at });
  };
  const setOne = () => {
    if (marks.count) send({ do: 'one_at', at: player.at });
  };

  // The beat of the music becomes the count; other ways to count it are one key away.
  const hear = useHear(take.id);
  // Told of in every mode: what is found while the coach does something else shows at once.
  const work = useWork(take.id);
  const finding = work.data?.find((w) => w.kind === 'find' && w.state === 'running');
  const wave = useWaveform(take.id, clip?.state === 'ready');
  const startHearing = () => {
    if (mode !== 'count') set({ mode: 'count' });
    hear.mutate(undefined, {
      onSuccess: (heard) =>
        send({
          do: 'set_count',
          count: { from: 'heard', beats: heard.beats, one: heard.one, swing: heard.swing ?? null },
        }),
    });
  };
  const recount = (how: Schemas['Recount']) =>
    marks.count?.from === 'heard' && send({ do: 'recount', how });

  // A rough click on the floor becomes the corner near it; the arrow keys and dragging stay as they are.
  const snap = useCorner(take.id);
  const earlier = useFloorBefore(
    take.id,
    further?.angle ?? 1,
    mode === 'floor' && pointed?.state === 'ready' && !pictured.floor?.points.some(Boolean),
  );
  const place = (pixel: Pixel, stay = false) => {
    if (state.pointing) {
      const angle = further?.angle ?? 1;
      const picked = { angle, at: here, role: state.pointing, pixel: clampPixel(pixel) };
      const others = state.picks.filter((p) => p.angle !== angle || p.role !== state.pointing);
      set({ picks: [...others, picked], pointing: null });
    } else if (mode === 'floor') {
      const rough = clampPixel(pixel);
      const point = corner;
      // The first click takes the size as it is typed.
      const sized = pictured.floor || further ? [] : [state.typed];
      const put = (to: Pixel) => {
        const m = { do: 'mark_floor' as const, point, pixel: to };
        send(...sized, further ? { do: 'on_angle' as const, angle: further.angle, mark: m } : m);
      };
      if (state.snaps && pointed?.state === 'ready') {
        snap.mutate(
          { angle: further?.angle ?? 1, at: here, pixel: rough },
          {
            onSuccess: (near) => put((near.pixel as Pixel | null | undefined) ?? rough),
            onError: () => put(rough),
          },
        );
      } else put(rough);
      const next = corners.findIndex((_, i) => i > corner && !pictured.floor?.points[i]);
      if (next >= 0 && !stay) set({ corner: next });
    } else if (mode === 'bodies') {
      mark({ do: 'place', role, at: here, landmark: name, pixel: clampPixel(pixel) });
      if (landmark < landmarks.length - 1 && !stay) set({ landmark: landmark + 1 });
    }
  };
  const move = (id: number, pixel: Pixel) => {
    const to = clampPixel(pixel);
    if (mode === 'floor') mark({ do: 'mark_floor', point: id, pixel: to });
    const which = landmarks[id]?.[0];
    if (mode === 'bodies' && which)
      mark({ do: 'place', role, at: here, landmark: which, pixel: to });
  };

  const handles: Marking['handles'] = state.pointing
    ? []
    : mode === 'floor'
      ? (pictured.floor?.points ?? []).flatMap((p, id) =>
          p ? [{ id, pixel: p as Pixel, name: corners[id] ?? '' }] : [],
        )
      : landmarks.flatMap(([l, words], id) => {
          const p = poseHere?.points[l] as Pixel | undefined;
          return p ? [{ id, pixel: p, name: words }] : [];
        });
  const canMark =
    (state.pointing !== null && pointed?.state === 'ready') ||
    (mode === 'floor' && (pictured.floor != null || (!further && pointed?.state === 'ready'))) ||
    (mode === 'bodies' && pointed?.state === 'ready');
  const overlayMarking: Marking | null = canMark
    ? {
        handles,
        chosen: mode === 'floor' ? corner : landmark,
        role: state.pointing ?? (mode === 'floor' ? null : role),
        place,
        move,
        choose: (id) => set(mode === 'floor' ? { corner: id } : { landmark: id }),
      }
    : null;

  const nudge = (dx: number, dy: number) => (e: KeyboardEvent) => {
    const h = canMark ? handles.find((x) => x.id === overlayMarking?.chosen) : undefined;
    const times = e.shiftKey ? 2.5 : 0.5;
    if (h) move(h.id, [h.pixel[0] + dx * times, h.pixel[1] + dy * times]);
    else if (dy === 0) {
      if (e.shiftKey) countBy(dx);
      else player.step(dx);
    }
  };

  const arrive = (foot: 'L' | 'R', weight: boolean) =>
    send({ do: 'mark_step', role, foot, at: player.at, weight });
  const takeAway = () => {
    if (marks.steps.some((s) => s.role === role && s.at === player.at)) {
      send({ do: 'unmark_step', role, at: player.at });
    } else if (poseHere?.points[name]) {
      mark({ do: 'unplace', role, at: here, landmark: name });
    }
  };
  const copy = () => mark({ do: 'copy_previous', role, at: here });
  // The count where a few marks by hand would settle most; pressed again, the next one.
  const { doubts } = analysis;
  const doubtHere = doubts.findIndex(
    (d) => d.role === role && d.repetition === cell?.repetition && d.count === cell?.count,
  );
  const toDoubt = () => {
    const next = doubts[(doubtHere + 1) % doubts.length];
    const to =
      next && cells.find((c) => c.repetition === next.repetition && c.count === next.count);
    if (!to) return;
    set({ mode: 'bodies', role: next.role, landmark: 0 });
    player.seekTime(momentOf(analysis, to, next.role));
  };
  const otherRole = () => set({ role: role === 'leader' ? 'follower' : 'leader', landmark: 0 });

  const open = analysis.judged.filter(
    (j) => j.showing > 0 && !decisions.some((d) => findingKey(d) === findingKey(j)),
  );
  const chosen = analysis.judged.find((j) => findingKey(j) === state.finding && j.showing > 0);
  /** Goes to the moment at which it shows most. */
  const look = (j: Judged) => {
    const worst = j.evidence.reduce((a, b) => (b.probability > a.probability ? b : a));
    const to = cells.find(
      (c) => c.repetition === worst.repetition && c.count === (worst.count ?? 0),
    );
    if (to) player.seekTime(to.at);
  };
  const choose = (j: Judged) => {
    set({ finding: findingKey(j), mode: 'watch' });
    look(j);
  };
  /** The moment a finding shows most, where there is a film of it. */
  const still = (j: Judged) => {
    const worst = j.evidence.reduce((a, b) => (b.probability > a.probability ? b : a));
    const i = cells.findIndex(
      (c) => c.repetition === worst.repetition && c.count === (worst.count ?? 0),
    );
    const here = cells[i];
    if (!here || clip?.state !== 'ready') return null;
    // Where a count is judged the body was looked at when the foot arrived.
    const pose = marks.poses.filter((p) => Math.abs(p.at - here.at) < NEAR);
    const nearest = pose.reduce<number | null>(
      (a, p) => (a === null || Math.abs(p.at - here.at) < Math.abs(a - here.at) ? p.at : a),
      null,
    );
    const span: [number, number] = [
      cells[Math.max(0, i - 1)]?.at ?? here.at,
      (cells[i + 1]?.at ?? here.at) + 300_000,
    ];
    return (
      <Still take={take.id} clip={clip} poses={marks.poses} at={nearest ?? here.at} span={span} />
    );
  };
  const chooseBy = (by: number) => {
    const list = analysis.judged.filter((j) => j.showing > 0);
    const i = chosen ? list.indexOf(chosen) : by > 0 ? -1 : 0;
    const to = list[(i + by + list.length) % list.length];
    if (to) choose(to);
  };
  const subject = chosen && open.includes(chosen) ? chosen : open[0];

  const repetition = (): [number, number] | null => {
    if (!cell) return null;
    const first = cells.find((c) => c.repetition === cell.repetition);
    const next = cells.find((c) => c.repetition === cell.repetition + 1);
    return first ? [first.at, next?.at ?? analysis.count?.end ?? first.at + 1e6] : null;
  };
  const toggleLoop = () => player.setLoop(player.loop ? null : repetition());

  // The names of the dancers who were found: exchanged in the loop, or from this frame on.
  const exchangeNames = (part: 'all' | 'from here') => {
    const ahead = further?.offset ?? 0;
    const loop = player.loop?.map((t) => t - ahead);
    const span = part === 'all' ? null : (loop ?? [here, null]);
    exchange.mutate({ angle: further?.angle ?? 1, from: span?.[0] ?? null, to: span?.[1] ?? null });
  };

  const keys: KeyMap = {
    ' ': player.toggle,
    ',': () => player.step(-1),
    '.': () => player.step(1),
    ArrowLeft: nudge(-1, 0),
    ArrowRight: nudge(1, 0),
    ArrowUp: nudge(0, -1),
    ArrowDown: nudge(0, 1),
    'Shift+ArrowLeft': nudge(-1, 0),
    'Shift+ArrowRight': nudge(1, 0),
    'Shift+ArrowUp': nudge(0, -1),
    'Shift+ArrowDown': nudge(0, 1),
    '[': () => repetitionBy(-1),
    ']': () => repetitionBy(1),
    '-': player.slower,
    '+': player.faster,
    l: toggleLoop,
    u: () => setNotes(!notes),
    w: () => set({ mode: 'watch' }),
    v: () => {
      set({ mode: 'watch' });
      setInSpace(!inSpace);
    },
    t: tap,
    h: startHearing,
    '/': () => recount('half'),
    '*': () => recount('double'),
    "'": () => recount('off'),
    o: setOne,
    f: () => set({ mode: 'floor' }),
    b: () => set({ mode: 'bodies' }),
    r: otherRole,
    n: () =>
      set(mode === 'floor' ? { corner: (corner + 1) % 8 } : { landmark: (landmark + 1) % 19 }),
    p: () =>
      set(mode === 'floor' ? { corner: (corner + 7) % 8 } : { landmark: (landmark + 18) % 19 }),
    s: () => {
      // By keyboard alone: into the middle of the picture, and on from there by the arrow keys.
      if (canMark && !handles.some((h) => h.id === overlayMarking?.chosen)) {
        place([(pointed?.width ?? 0) / 2, (pointed?.height ?? 0) / 2], true);
      }
    },
    c: copy,
    m: toDoubt,
    e: () => found.length > 0 && exchangeNames('from here'),
    a: () => arrive('L', true),
    d: () => arrive('R', true),
    x: takeAway,
    'Ctrl+z': () => bench.can_undo && send({ do: 'undo' }),
    'Ctrl+y': () => bench.can_redo && send({ do: 'redo' }),
    'Ctrl+Shift+z': () => bench.can_redo && send({ do: 'redo' }),
    j: () => chooseBy(1),
    k: () => chooseBy(-1),
    Enter: () => subject && setConfirming(subject),
    Delete: () => subject && setDismissing(subject),
  };
  for (let d = 1; d <= 9; d++) keys[String(d)] = () => toDigit(d);
  useKeys(keys);

  // Bodies marked near the frame that an angle shows.
  const posesOf = (all: Body[], frames: number[], now: number) =>
    posesNear(all, frames, now).map((p) =>
      mode === 'bodies' && p.pose === poseHere ? { ...p, faint: false } : p,
    );
  const poses = posesOf([...marks.poses, ...(sights.data ?? [])], player.frames, player.at);

  // Beside the couple in space: the same bodies in the pictures they come from.
  const space = useSpace(take.id, bench.version, inSpace && mode === 'watch').data?.space;
  const solvedOn = (angle: number, frames: number[], now: number) => {
    if (!inSpace || mode !== 'watch') return [];
    const seen = (space?.bodies ?? []).flatMap((b) =>
      b.pictured.filter((p) => p.angle === angle).map((p) => p.pose),
    );
    return posesNear(seen, frames, now);
  };

  const pins = analysis.judged
    .filter((j) => j.showing > 0 && (chosen ? j === chosen : j.offered))
    .flatMap((j) =>
      j.evidence
        .filter((e) => e.count != null && e.shows)
        .map((e) => ({
          repetition: e.repetition,
          count: e.count ?? 0,
          strong: j === chosen || !chosen,
        })),
    );

  // What each step of the preparation gives, said before and after it is done.
  const stages: [Mode, string, string, Schemas['Stage'], string][] = [
    [
      'chart',
      'Chart',
      chart
        ? `${chart.draft.name}, ${marks.repetitions === 1 ? 'once' : `${marks.repetitions} times`}`
        : 'not named',
      analysis.chart_stage,
      'what is judged: steps, turns and distances as the figure asks for them',
    ],
    [
      'count',
      'Count',
      analysis.count ? `± ${quantity(analysis.count.sigma, 'seconds')}` : 'not laid',
      analysis.count_stage,
      'timing, and every number by its count',
    ],
    [
      'floor',
      'Floor',
      analysis.floor ? `± ${quantity(analysis.floor.sigma, 'metres')}` : 'not measured',
      analysis.floor_stage,
      'metres and degrees: steps, distances, the slot',
    ],
    [
      'bodies',
      'Bodies',
      finding
        ? `finding, ${Math.round(100 * finding.progress)} %`
        : analysis.marked[1]
          ? `${analysis.marked[0]} of ${analysis.marked[1]} counts`
          : 'no counts yet',
      analysis.bodies_stage,
      'frame, leans, turns, connection and their findings',
    ],
  ];
  // An angle whose clip could not be prepared may be tried again.
  const freeAngle = [2, 3, 4].find(
    (a) => !view.further.some((c) => c.angle === a && c.state !== 'failed'),
  );
  const error = marking.error ?? withdraw.error ?? reviewed.error;

  return (
    <Box
      sx={{
        height: '100%',
        display: 'grid',
        gridTemplateRows: 'auto minmax(0, 1fr) auto auto',
        gridTemplateColumns: 'minmax(0, 1fr)',
        px: 1.25,
        pb: 0.5,
      }}
    >
      <Box
        component="header"
        sx={{ display: 'flex', alignItems: 'center', gap: 1.25, minHeight: 48 }}
      >
        <Typography variant="h1" noWrap>
          {take.leader} &amp; {take.follower}
        </Typography>
        <Typography variant="body2" color="text.secondary" noWrap sx={{ flex: 1 }}>
          {day(take.held_on)}, {take.place || 'no place'}, take {take.number}
          {analysis.count ? ` · ${analysis.count.tempo.toFixed(0)} beats a minute` : ''}
        </Typography>
        <Box
          component="nav"
          aria-label="Preparation"
          sx={{
            display: 'flex',
            border: 1,
            borderColor: 'divider',
            borderRadius: 1,
            overflow: 'hidden',
          }}
        >
          {stages.map(([m, title, note, s, gives]) => (
            <Button
              key={m}
              onClick={() => set({ mode: mode === m ? 'watch' : m })}
              aria-pressed={mode === m}
              title={`${s.state === 'ready' ? `${title} is ready.` : s.what} It gives ${gives}.`}
              sx={{
                borderRadius: 0,
                px: 1.25,
                gap: 0.75,
                color: mode === m ? 'primary.contrastText' : 'text.primary',
                bgcolor: mode === m ? 'primary.main' : 'background.paper',
                '&:hover': { bgcolor: mode === m ? 'primary.main' : 'action.hover' },
              }}
            >
              {/* A long figure's name must not break the line. */}
              <Box
                component="span"
                sx={{
                  maxWidth: 210,
                  overflow: 'hidden',
                  textOverflow: 'ellipsis',
                  whiteSpace: 'nowrap',
                }}
              >
                <b>{title}</b>{' '}
                <Box component="span" sx={{ fontWeight: 400, ml: 0.5 }}>
                  {s.state === 'refused' ? 'look again' : note}
                </Box>
              </Box>
            </Button>
          ))}
        </Box>
        <Exchange take={take.id} clips={[...(clip ? [clip] : []), ...view.further]} />
        {clip?.state === 'ready' && freeAngle !== undefined && (
          <BringClip take={take.id} angle={freeAngle} name="Add an angle" />
        )}
        <Button
          variant={take.reviewed ? 'outlined' : 'contained'}
          onClick={() => reviewed.mutate(!take.reviewed)}
        >
          {take.reviewed ? 'Open again' : 'Close review'}
        </Button>
      </Box>

      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: 'minmax(0, 1fr) 402px',
          gap: 1.25,
          minHeight: 0,
        }}
      >
        <Box sx={{ display: 'flex', gap: 1, minHeight: 0 }}>
          <Box sx={{ flex: further && canMark ? 2 : 3, minWidth: 0 }}>
            <Stage
              notes={notes}
              take={take.id}
              clip={clip}
              player={player}
              poses={poses}
              solved={solvedOn(1, player.frames, player.at)}
              grid={mode === 'floor' ? (analysis.floor?.grid ?? null) : null}
              marking={further ? null : overlayMarking}
              caption={
                cell && (
                  <>
                    repetition {cell.repetition + 1} · <b>count {spoken(cells, cell)}</b>
                    {player.speed !== 1 && ` · ${player.speed * 100} % speed`}
                    {player.loop && ' · looped'}
                  </>
                )
              }
            />
          </Box>
          {view.further.length > 0 && (
            <Box
              sx={{
                // The picture that is marked is the larger one.
                flex: further && canMark ? 3 : 2,
                minWidth: 0,
                display: 'flex',
                flexDirection: 'column',
                gap: 1,
              }}
            >
              {view.further.map((c) => (
                <Angle
                  key={c.angle}
                  take={take.id}
                  clip={c}
                  player={player}
                  poses={posesOf(
                    [
                      ...angleMarks(marks, c.angle).poses,
                      ...(c.angle === further?.angle ? found : []),
                    ],
                    c.frames,
                    player.at - c.offset,
                  )}
                  solved={solvedOn(c.angle, c.frames, player.at - c.offset)}
                  marking={further === c ? overlayMarking : null}
                />
              ))}
            </Box>
          )}
        </Box>
        <Box
          sx={{ display: 'flex', flexDirection: 'column', gap: 1, overflowY: 'auto', minHeight: 0 }}
          tabIndex={0}
          role="region"
          aria-label="Evidence"
        >
          {cautions
            .filter((c) => c.figure)
            .map((c) => (
              <Alert key={c.role} severity="warning" sx={{ flex: 'none' }}>
                This figure can touch what is noted of {c.person}: “{c.note}”. Ask before dancing
                it; a doctor or physiotherapist decides.
              </Alert>
            ))}
          {bench.beginning != null && (
            <Alert severity="info" icon={<CircularProgress size={18} />} sx={{ flex: 'none' }}>
              A first look at {plural(bench.beginning, 'repetition')}. The rest of the take is being
              worked out.
            </Alert>
          )}
          {mode === 'chart' && <ChartPanel marks={marks} charts={charts} send={send} />}
          {mode === 'count' && (
            <CountPanel
              marks={marks}
              analysis={analysis}
              meter={charts.find((c) => c.id === marks.chart)?.meter ?? 4}
              tap={tap}
              setOne={setOne}
              hear={{
                start: startHearing,
                busy: hear.isPending,
                error: hear.error,
                clear: hear.data?.clear ?? null,
              }}
              at={player.at}
              send={send}
            />
          )}
          {(mode === 'floor' || mode === 'bodies') && view.further.length > 0 && (
            <WhichAngle
              angles={view.further.filter((c) => c.state === 'ready').map((c) => c.angle)}
              chosen={further?.angle ?? 1}
              choose={(angle) => set({ angle, corner: 0, landmark: 0 })}
            />
          )}
          {mode === 'floor' && (
            <FloorPanel
              floor={pictured.floor}
              analysis={analysis}
              angle={further?.angle ?? 1}
              size={(entry) => send(entry)}
              mark={mark}
              snapped={snap.data ?? null}
              before={pictured.floor?.points.some(Boolean) ? null : (earlier.data ?? null)}
              again={(f) => {
                const here = (m: Schemas['MarkCommand']): Schemas['MarkCommand'] =>
                  further ? { do: 'on_angle', angle: further.angle, mark: m } : m;
                send(
                  ...(further || pictured.floor ? [] : [laid(f.reference)]),
                  ...f.reference.points.flatMap((pixel, point) =>
                    pixel ? [here({ do: 'mark_floor', point, pixel })] : [],
                  ),
                  // The same phone has the same lens.
                  ...(f.reference.bent ? [here({ do: 'bend_lens', bent: true })] : []),
                );
              }}
            />
          )}
          {(mode === 'bodies' || unmarked) && (
            <FindDancers
              take={take.id}
              work={work.data ?? []}
              sights={found}
              told={pointed?.found ?? null}
              angles={1 + view.further.length}
              pointing={state.pointing}
              picks={state.picks}
              one={state.one}
              onlyOne={(one) => set({ one })}
              point={(pointing) => set({ pointing })}
              forget={() => set({ picks: [], pointing: null })}
              exchange={exchangeNames}
              looping={player.loop !== null}
              doubts={doubts}
              here={doubts[doubtHere]}
              cells={cells}
              next={toDoubt}
            />
          )}
          {mode === 'bodies' && (
            <BodiesPanel pose={poseHere} copy={copy} arrive={arrive} clear={takeAway} />
          )}
          {(mode === 'watch' || mode === 'bodies') && (
            <FloorPlan analysis={analysis} cell={cell} chart={chart} couple={couple} />
          )}
          {mode === 'watch' && (
            <InSpace
              take={take.id}
              version={bench.version}
              figure={marks.chart ?? null}
              cell={cell}
              corners={analysis.floor?.corners ?? USUAL_CORNERS}
              wanted={toTell}
              open={inSpace}
              toggle={() => setInSpace(!inSpace)}
            />
          )}
          {mode === 'watch' && <CountCard analysis={analysis} chart={chart} cell={cell} />}
          <Findings
            analysis={analysis}
            decisions={decisions}
            chart={chart}
            ordered={marks.order ?? []}
            acts={{
              chosen: state.finding,
              choose,
              confirm: setConfirming,
              dismiss: setDismissing,
              withdraw: (id) => withdraw.mutate(id),
              order: (first) => send({ do: 'order_findings', order: first }),
              add: () => setAdding({ count: cell?.count ?? null }),
              look,
              see: (j) =>
                setAdding({ fault: j.fault, role: j.role ?? j.whose[0], count: j.count ?? null }),
              rules: () => setRules(true),
              spots: (measure) => {
                setToTell(measure);
                setInSpace(true);
                document.querySelector('[aria-label="In space"]')?.scrollIntoView();
              },
            }}
          />
        </Box>
      </Box>

      <Transport
        player={player}
        count={countBy}
        looping={player.loop !== null}
        toggleLoop={toggleLoop}
        notes={notes}
        toggleNotes={() => setNotes(!notes)}
        lanes={<LanesMenu lanes={analysis.lanes} />}
        undo={bench.can_undo ? () => send({ do: 'undo' }) : null}
        redo={bench.can_redo ? () => send({ do: 'redo' }) : null}
        message={
          error && (
            <Alert severity="error" sx={{ py: 0, minHeight: 0 }}>
              {error.message}
            </Alert>
          )
        }
      />
      <Rail
        analysis={analysis}
        chart={chart}
        at={player.at}
        cell={cell}
        pins={pins}
        wave={wave.data ?? null}
        length={player.frames.at(-1) ?? 0}
        beats={marks.count?.from === 'heard' ? marks.count.beats : []}
        tracks={mode === 'bodies' && !further ? (sights.data ?? []) : []}
        width={clip?.width ?? 1280}
        onPick={pick}
        onSeek={player.seekTime}
      />

      {confirming && (
        <CorrectionSheet
          take={take}
          j={confirming}
          cautions={cautions}
          still={still(confirming)}
          cause={
            confirming.explained_by == null
              ? null
              : (analysis.judged[confirming.explained_by] ?? null)
          }
          count={
            confirming.count == null ? undefined : chart?.pattern.marks[confirming.count]?.label
          }
          onClose={() => setConfirming(null)}
        />
      )}
      {adding && (
        <EyeSheet
          take={take}
          analysis={analysis}
          chart={chart}
          about={adding}
          cautions={cautions}
          onClose={() => setAdding(null)}
        />
      )}
      {rules && <RulesDialog couple={take.couple_id} onClose={() => setRules(false)} />}
      {dismissing && (
        <DismissSheet take={take.id} j={dismissing} onClose={() => setDismissing(null)} />
      )}
    </Box>
  );
}
