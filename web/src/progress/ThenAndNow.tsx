import Pause from '@mui/icons-material/Pause';
import Play from '@mui/icons-material/PlayArrow';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import IconButton from '@mui/material/IconButton';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useCallback, useEffect, useRef, useState, type RefObject } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useBench, useCatalogue, usePerson, useTake, useTakes } from '../api/hooks';
import { useThenAndNow } from '../api/plan';
import { posesNear } from '../bench/cells';
import { Overlay } from '../bench/Overlay';
import { frameAt, nearestFrame, usePlayer, type Player } from '../bench/player';
import { flip, standing, Wedge } from '../bench/FloorPlan';
import { Footprint } from '../shapes/Footprint';
import { RoleMark } from '../shapes/RoleMark';
import { useKeys } from '../shell/keys';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { stage, tone } from '../theme';
import { day, quantity, reading, short, type Role } from '../words';
import { differs } from './Answer';

type View = Schemas['ThenNowView'];
type Beat = Schemas['Beat'];

/** Where a moment of the later take lies in the earlier one: straight between counts. */
function bent(both: Schemas['ThenNow'], now: number) {
  const points = [
    ...both.beats.map((b) => [b.now, b.then] as const),
    [both.end[1] ?? 0, both.end[0] ?? 0] as const,
  ];
  let i = points.findIndex((p) => p[0] > now);
  if (i < 0) i = points.length - 1;
  const [a, b] = [points[Math.max(0, i - 1)], points[Math.max(1, i)]];
  if (!a || !b) return { at: now, rate: 1 };
  const rate = b[0] > a[0] ? (b[1] - a[1]) / (b[0] - a[0]) : 1;
  return { at: a[1] + (now - a[0]) * rate, rate };
}

const filling = {
  position: 'absolute',
  inset: 0,
  width: '100%',
  height: '100%',
  objectFit: 'contain',
} as const;

/** One of the two films with its bodies. */
function Film({
  take,
  clip,
  player,
  filmRef,
  muted,
  label,
}: {
  take: Schemas['Take'];
  clip: Schemas['ClipView'] | null | undefined;
  player: Player;
  /** Where the element is kept for whoever leads it. */
  filmRef?: RefObject<HTMLVideoElement | null>;
  muted: boolean;
  label: string;
}) {
  const bench = useBench(take.id);
  const { attach, frame, frames, at } = player;
  const near = posesNear(bench.data?.marks.poses ?? [], frames, at);
  const hold = useCallback(
    (video: HTMLVideoElement | null) => {
      if (filmRef) filmRef.current = video;
      attach(video);
    },
    [attach, filmRef],
  );
  return (
    <Box
      component="section"
      aria-label={label}
      sx={{
        position: 'relative',
        flex: 1,
        aspectRatio: '16 / 9',
        minWidth: 0,
        bgcolor: stage.ground,
        color: stage.ink,
        borderRadius: 1,
        overflow: 'hidden',
      }}
    >
      {clip?.state === 'ready' ? (
        <>
          <Box
            component="video"
            ref={hold}
            src={`/api/takes/${take.id}/video`}
            preload="auto"
            muted={muted}
            playsInline
            aria-label={label}
            data-frame={frame}
            sx={filling}
          />
          <Overlay
            size={[clip.width || 1280, clip.height || 720]}
            poses={near}
            grid={null}
            marking={null}
            onHover={() => undefined}
          />
        </>
      ) : (
        <Typography sx={{ p: 2 }}>
          The film of this take is not kept; its marks and measures are.
        </Typography>
      )}
      <Box
        sx={{
          position: 'absolute',
          left: 8,
          top: 8,
          px: 1,
          py: 0.25,
          borderRadius: 1,
          bgcolor: 'rgba(21,25,28,.82)',
        }}
      >
        <Typography variant="body2">
          {label} · {day(take.held_on)}
          {take.tempo != null && ` · tempo ${take.tempo.toFixed(0)}`}
        </Typography>
      </Box>
    </Box>
  );
}

/** Both takes' feet at a count on one floor: then open and pale, now filled. */
function Floors({ view, beat }: { view: View; beat: Beat }) {
  const cell = { ...beat, at: beat.now, between: false };
  const roles: Role[] = ['leader', 'follower'];
  const of = (t: Schemas['OneTake']) => ({
    feet: roles.flatMap((r) =>
      standing(
        t.footprints.filter((p) => p.repetition === beat.repetition),
        r,
        cell,
      ),
    ),
    stances: t.stances.filter((s) => s.repetition === beat.repetition && s.count === beat.count),
  });
  const [then, now] = [of(view.then), of(view.now)];
  const all = [...view.then.footprints, ...view.now.footprints].flatMap((p) => [p.heel, p.toe]);
  if (all.length === 0) {
    return (
      <Typography variant="body2" color="text.secondary">
        The floor was not measured in these takes.
      </Typography>
    );
  }
  const xs = all.map((p) => p[0] ?? 0);
  const ys = all.map((p) => -(p[1] ?? 0));
  const pad = 0.15;
  const [left, top] = [Math.min(...xs) - pad, Math.min(...ys) - pad];
  const box = `${left} ${top} ${Math.max(...xs) + pad - left} ${Math.max(...ys) + pad - top}`;
  return (
    <svg
      viewBox={box}
      width="100%"
      style={{ display: 'block', maxHeight: 210 }}
      role="img"
      aria-label={`Feet at count ${beat.label}, then pale and now dark`}
    >
      <g opacity={0.55}>
        {then.feet.map((p) => (
          <Footprint
            key={`${p.role}${p.foot}`}
            heel={flip(p.heel)}
            toe={flip(p.toe)}
            role={p.role}
            filled={false}
          />
        ))}
      </g>
      {now.stances.map((s) => (
        <Wedge key={s.role} stance={s} />
      ))}
      {now.feet.map((p) => (
        <Footprint
          key={`${p.role}${p.foot}`}
          heel={flip(p.heel)}
          toe={flip(p.toe)}
          role={p.role}
          filled={p.weighted}
        />
      ))}
    </svg>
  );
}

/** What the measures of a count say of both, those that changed first. */
function Changes({ view, beat }: { view: View; beat: Beat }) {
  const catalogue = useCatalogue();
  const spec = (id: string) => catalogue.data?.measures.find((m) => m.id === id);
  const rows = view.both.changes
    .filter((c) => c.repetition === beat.repetition && c.count === beat.count)
    .sort((a, b) => Number(b.told) - Number(a.told));
  if (rows.length === 0) {
    return (
      <Typography variant="body2" color="text.secondary">
        No measure is told by both takes at this count.
      </Typography>
    );
  }
  const value = (e: Schemas['Estimate'], id: string) => {
    const unit = spec(id)?.unit ?? 'ratio';
    const text = reading(id, e, unit);
    const band = view.bands.find((b) => b.measure === id)?.band;
    const [lo, hi] = band?.fine ?? [];
    const fine = band && !(lo != null && e.value < lo) && !(hi != null && e.value > hi);
    return (
      <Box
        component="span"
        sx={{ bgcolor: fine ? tone.fine : undefined, borderRadius: 0.5, px: 0.4 }}
      >
        {text}
      </Box>
    );
  };
  return (
    <Box
      component="table"
      sx={{
        width: '100%',
        borderCollapse: 'collapse',
        fontSize: 13,
        '& td, & th': { textAlign: 'left', py: 0.25, pr: 1, fontWeight: 400 },
        '& th': { color: 'text.secondary' },
      }}
    >
      <thead>
        <tr>
          <th scope="col">Measure</th>
          <th scope="col">Then</th>
          <th scope="col">Now</th>
          <th scope="col">Change</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((c) => (
          <tr key={`${c.id}${c.role}`}>
            <td>
              <Box sx={{ display: 'flex', gap: 0.75, alignItems: 'center' }}>
                <RoleMark role={c.role} />
                {short[c.id] ?? spec(c.id)?.name ?? c.id}
              </Box>
            </td>
            <td>{value(c.then, c.id)}</td>
            <td>{value(c.now, c.id)}</td>
            <td>
              {c.told ? (
                <strong>
                  {quantity(Math.abs(c.now.value - c.then.value), spec(c.id)?.unit ?? 'ratio')}
                </strong>
              ) : (
                <Box component="span" sx={{ color: 'text.secondary', whiteSpace: 'nowrap' }}>
                  none to tell
                </Box>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

/** Two takes side by side, locked by count. */
function Both({ view }: { view: View }) {
  const takes = [useTake(view.then.take.id), useTake(view.now.take.id)];
  const [a, b] = [takes[0]?.data?.clip, takes[1]?.data?.clip];
  const then = usePlayer(a);
  const now = usePlayer(b);
  const [sound, setSound] = useState<'then' | 'now' | 'none'>('now');
  const [hidden, setHidden] = useState(true);
  const { both } = view;
  const films = view.now.filmed && b?.state === 'ready';
  const [chosen, setChosen] = useState(0);
  // With a film its moment decides, without one the count that was chosen.
  const shown = (x: Beat) => nearestFrame(now.frames, x.now) <= now.frame;
  const found = films ? both.beats.findLastIndex(shown) : chosen;
  const index = Math.max(0, found);
  const beat = both.beats[index];
  const go = (i: number) => {
    const to = both.beats[Math.max(0, Math.min(both.beats.length - 1, i))];
    if (!to) return;
    setChosen(both.beats.indexOf(to));
    now.seekTime(to.now);
    then.seekTime(to.then);
  };
  const { playing, speed, video, frame } = now;
  const earlier = useRef<HTMLVideoElement | null>(null);

  // Standing still: the earlier film shows the same place of the count.
  const wanted = bent(both, now.at).at;
  const still = frameAt(then.frames, wanted);
  useEffect(() => {
    if (!playing && then.frame !== still) then.seek(still);
    // The player's functions are new at every turn; only the frames count.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [frame, playing, still]);

  // Playing: it goes faster or slower with each count, and is put right where it has run away.
  useEffect(() => {
    const other = earlier.current;
    if (!playing || !video || !other) return;
    const starts = [a?.start ?? 0, b?.start ?? 0];
    const follow = () => {
      const to = bent(both, video.currentTime * 1e6 - (starts[1] ?? 0));
      const seconds = (to.at + (starts[0] ?? 0)) / 1e6;
      other.playbackRate = Math.max(0.1, Math.min(4, speed * to.rate));
      if (Math.abs(other.currentTime - seconds) > 0.06) other.currentTime = Math.max(0, seconds);
    };
    follow();
    void other.play().catch(() => undefined);
    const timer = window.setInterval(follow, 100);
    return () => {
      window.clearInterval(timer);
      other.pause();
    };
  }, [a?.start, b?.start, both, playing, speed, video]);

  const last = both.beats.at(-1)?.repetition ?? 0;
  const jump = (by: number) => {
    const target = (beat?.repetition ?? 0) + by;
    go(both.beats.findIndex((x) => x.repetition === target && x.count === beat?.count));
  };
  useKeys({
    ' ': () => now.toggle(),
    ArrowRight: () => go(index + 1),
    ArrowLeft: () => go(index - 1),
    ArrowDown: () => jump(1),
    ArrowUp: () => jump(-1),
    s: () => now.slower(),
    f: () => now.faster(),
  });

  if (!beat) {
    return (
      <Empty title="These takes have no count in common.">
        Lay the count over both on the Bench.
      </Empty>
    );
  }
  const link = `/api/then-and-now/film?then=${view.then.take.id}&now=${view.now.take.id}&repetition=${beat.repetition}&hidden=${hidden}`;
  return (
    <>
      {view.differences.length > 0 && (
        <Alert severity="info" sx={{ mb: 1 }}>
          Not the same in both: {view.differences.map(differs).join('; ')}.
        </Alert>
      )}
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Film
          take={view.then.take}
          clip={a}
          player={then}
          filmRef={earlier}
          muted={sound !== 'then'}
          label="Then"
        />
        <Film take={view.now.take} clip={b} player={now} muted={sound !== 'now'} label="Now" />
      </Box>
      <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center', my: 1, flexWrap: 'wrap' }}>
        <IconButton aria-label={playing ? 'Pause' : 'Play'} onClick={now.toggle} disabled={!films}>
          {playing ? <Pause /> : <Play />}
        </IconButton>
        <ToggleButtonGroup
          exclusive
          size="small"
          aria-label="Count"
          value={index}
          onChange={(_, i: number | null) => i !== null && go(i)}
        >
          {both.beats
            .map((x, i) => ({ x, i }))
            .filter(({ x }) => x.repetition === beat.repetition)
            .map(({ x, i }) => (
              <ToggleButton key={i} value={i} sx={{ minWidth: 36, py: 0.25 }}>
                {x.label}
              </ToggleButton>
            ))}
        </ToggleButtonGroup>
        <TextField
          select
          label="Repetition"
          value={beat.repetition}
          onChange={(e) => go(both.beats.findIndex((x) => x.repetition === Number(e.target.value)))}
          sx={{ minWidth: 110 }}
        >
          {Array.from({ length: last + 1 }, (_, r) => (
            <MenuItem key={r} value={r}>
              {r + 1} of {last + 1}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Sound"
          value={sound}
          onChange={(e) => setSound(e.target.value as typeof sound)}
          sx={{ minWidth: 90 }}
        >
          <MenuItem value="then">then</MenuItem>
          <MenuItem value="now">now</MenuItem>
          <MenuItem value="none">none</MenuItem>
        </TextField>
        <Typography variant="body2" color="text.secondary">
          speed {speed}
        </Typography>
        <Box sx={{ flex: 1 }} />
        <FormControlLabel
          control={<Checkbox checked={hidden} onChange={(_, on) => setHidden(on)} />}
          label="Hide faces"
        />
        <Button
          variant="outlined"
          component="a"
          href={link}
          download
          disabled={!films || !view.then.filmed}
        >
          Save this repetition as a film
        </Button>
      </Box>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1.2fr)',
          gap: 1.5,
          alignItems: 'start',
        }}
      >
        <Card component="section" aria-label="Floor" sx={{ p: 1.5 }}>
          <Typography variant="h2" gutterBottom>
            Floor at count {beat.label}, then open, now filled
          </Typography>
          <Floors view={view} beat={beat} />
        </Card>
        <Card component="section" aria-label="Measures" sx={{ p: 1.5 }}>
          <Typography variant="h2" gutterBottom>
            Measures at count {beat.label}
          </Typography>
          <Changes view={view} beat={beat} />
        </Card>
      </Box>
    </>
  );
}

/** Then and now: two takes of one figure, locked by count. */
export function ThenAndNow() {
  const { id = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const person = usePerson(id);
  const takes = useTakes();
  const [then, now] = [search.get('then'), search.get('now')];
  const view = useThenAndNow(then, now);
  const figure = takes.data?.find((t) => t.id === now)?.chart;
  const all = (takes.data ?? []).filter(
    (t) =>
      [t.leader_id, t.follower_id].includes(id) && t.count_ready && (!figure || t.chart === figure),
  );
  const pick = (name: string, label: string, value: string | null) => (
    <TextField
      select
      label={label}
      value={all.some((t) => t.id === value) ? value : ''}
      onChange={(e) =>
        setSearch(
          (was) => {
            was.set(name, e.target.value);
            return was;
          },
          { replace: true },
        )
      }
      sx={{ minWidth: 190 }}
    >
      {all.map((t) => (
        <MenuItem key={t.id} value={t.id}>
          {day(t.held_on)}, take {t.number}
          {t.clip === 'ready' ? '' : ' (no film)'}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Place
      wide
      title="Then and now"
      note={person.data && <Link to={`/progress/${id}`}>{person.data.name}</Link>}
      action={
        <>
          {pick('then', 'Then', then)}
          {pick('now', 'Now', now)}
        </>
      }
    >
      {then && now ? (
        <Loaded of={view}>{(v) => <Both key={`${then}${now}`} view={v} />}</Loaded>
      ) : (
        <Empty title="Choose two takes of one figure.">
          They are laid on each other by count, however fast each was danced.
        </Empty>
      )}
    </Place>
  );
}
