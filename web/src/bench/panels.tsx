import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import List from '@mui/material/List';
import ListItemButton from '@mui/material/ListItemButton';
import MenuItem from '@mui/material/MenuItem';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useEffect, useMemo, useState, type FormEvent } from 'react';
import type { Schemas } from '../api/client';
import { RoleMark } from '../shapes/RoleMark';
import { day, quantity, type Role } from '../words';
import { corners, landmarks } from './landmarks';
import { Failure } from '../shell/State';
import { Panel } from './Panel';
import { useBenchState } from './state';

type Entry = Schemas['Entry'];
type Analysis = Schemas['Analysis'];
type Marks = Schemas['Marks'];
export type Send = (...entries: Entry[]) => void;

function Refusal({ stage }: { stage: Schemas['Stage'] }) {
  return stage.state === 'refused' ? (
    <Alert severity="error" sx={{ my: 0.5 }}>
      {stage.what}
    </Alert>
  ) : null;
}

/** How the beat of the music is taken for the count. */
export interface Hear {
  start: () => void;
  busy: boolean;
  error: Error | null;
  /** Share of the beats with an onset of their own. */
  clear: number | null;
}

/** Which figure, and how often. */
export function ChartPanel({
  marks,
  charts,
  send,
}: {
  marks: Marks;
  charts: Schemas['ChartCard'][];
  send: Send;
}) {
  const [chart, setChart] = useState(marks.chart ?? '');
  const [times, setTimes] = useState(String(marks.repetitions || 4));
  const danceable = charts
    .filter((c) => c.sound)
    .sort((a, b) => a.dance.localeCompare(b.dance) || a.name.localeCompare(b.name));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    send({ do: 'name_figure', chart, repetitions: Number(times) });
  };
  return (
    <Panel title="What is danced">
      <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 1.25, mt: 1 }}>
        <TextField
          select
          required
          label="Figure"
          value={chart}
          onChange={(e) => setChart(e.target.value)}
        >
          {danceable.map((c) => (
            <MenuItem key={c.id} value={c.id}>
              {c.dance}: {c.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Repetitions in this take"
          type="number"
          required
          value={times}
          onChange={(e) => setTimes(e.target.value)}
          slotProps={{ htmlInput: { min: 1, max: 64 } }}
        />
        <Button type="submit" variant="contained" disabled={!chart}>
          Name the figure
        </Button>
      </Box>
    </Panel>
  );
}

/** Where the count is. */
export function CountPanel({
  marks,
  analysis,
  meter,
  tap,
  setOne,
  hear,
  at,
  send,
}: {
  marks: Marks;
  analysis: Analysis;
  /** Beats of a bar. */
  meter: number;
  tap: () => void;
  setOne: () => void;
  hear: Hear;
  at: number;
  send: Send;
}) {
  const source = marks.count;
  const tapped = source?.from === 'taps' ? source.taps.length : 0;
  const [bpm, setBpm] = useState(source?.from === 'tempo' ? String(source.bpm) : '');
  const count = analysis.count;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    send({ do: 'set_count', count: { from: 'tempo', bpm: Number(bpm), one: at } });
  };
  return (
    <Panel title="Count" note={count ? `${count.tempo.toFixed(1)} beats a minute` : undefined}>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        The beat can be heard in the music; you say which beat is 1. Or play, and press t on every
        beat from a 1 on (eight are enough); or type the tempo and stand on a 1.
      </Typography>
      <Box sx={{ display: 'flex', gap: 0.75, flexWrap: 'wrap', alignItems: 'center', mb: 1 }}>
        <Button variant="contained" loading={hear.busy} onClick={hear.start}>
          Hear the beat
        </Button>
        {source?.from === 'heard' && (
          <>
            <Button onClick={() => send({ do: 'recount', how: 'half' })}>Half as many</Button>
            <Button onClick={() => send({ do: 'recount', how: 'double' })}>Twice as many</Button>
            <Button onClick={() => send({ do: 'recount', how: 'off' })}>Half a beat later</Button>
          </>
        )}
      </Box>
      {hear.clear !== null && source?.from === 'heard' && (
        <Typography variant="body2" role="status">
          {source.beats.length} beats; {Math.round(100 * hear.clear)} % of them are plainly heard.
          {source.swing &&
            ` The step in between falls ${
              source.swing < 0.53 ? 'half way' : `${Math.round(100 * source.swing)} % of the way`
            } to the next beat.`}
        </Typography>
      )}
      <Failure error={hear.error} />
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'center' }}>
        <Button variant="outlined" size="large" onClick={tap}>
          Tap
        </Button>
        <Typography variant="body2">{tapped > 0 ? `${tapped} taps` : ''}</Typography>
        <Box sx={{ flex: 1 }} />
        {source && <Button onClick={() => send({ do: 'clear_count' })}>Clear</Button>}
      </Box>
      <Box component="form" onSubmit={submit} sx={{ display: 'flex', gap: 1, mt: 1.25 }}>
        <TextField
          label="Beats a minute"
          type="number"
          required
          value={bpm}
          onChange={(e) => setBpm(e.target.value)}
          slotProps={{ htmlInput: { min: 40, max: 300, step: 'any' } }}
          sx={{ width: 130 }}
        />
        <Button type="submit" variant="outlined">
          1 is at this frame
        </Button>
      </Box>
      <Refusal stage={analysis.count_stage} />
      {count && (
        <>
          <Typography variant="body2" sx={{ mt: 1 }}>
            Beat known to ± {quantity(count.sigma, 'seconds')}
            {count.taps &&
              `; taps scatter by ${quantity(count.taps.scatter, 'seconds')}, ${count.taps.outliers} left aside`}
            .
          </Typography>
          <Box sx={{ display: 'flex', gap: 1, mt: 0.75, flexWrap: 'wrap' }}>
            {(
              [
                ['1 a beat earlier', -1],
                ['1 a beat later', 1],
                ['1 a bar earlier', -meter],
                ['1 a bar later', meter],
              ] as const
            ).map(([name, beats]) => (
              <Button
                key={name}
                variant="outlined"
                onClick={() => send({ do: 'shift_one', beats })}
              >
                {name}
              </Button>
            ))}
            <Button variant="outlined" onClick={setOne}>
              1 here
            </Button>
          </Box>
        </>
      )}
    </Panel>
  );
}

/** A number of the floor reference. */
function Size({
  label,
  value,
  set,
  range: [min, max],
  whole = false,
}: {
  label: string;
  value: string;
  set: (value: string) => void;
  range: [number, number];
  whole?: boolean;
}) {
  return (
    <TextField
      label={label}
      type="number"
      required
      value={value}
      onChange={(e) => set(e.target.value)}
      slotProps={{ htmlInput: { min, max, step: whole ? 1 : 'any' } }}
      sx={{ flex: 1, minWidth: 84 }}
    />
  );
}

/** Metres as centimetres to type. */
const cm = (metres: number) => String(Math.round(metres * 1e4) / 100);

/** What lays down a reference of the size of another one. */
export function laid(f: Schemas['FloorReference']): Schemas['MarkCommand'] {
  const view = f.view ?? null;
  if (f.tiles) return { do: 'tile_floor', tiles: f.tiles, view };
  if (f.far) {
    const diagonal = diagonalOf(f);
    return { do: 'line_floor', near: f.length, far: f.far.length, apart: f.width, diagonal, view };
  }
  return { do: 'size_floor', length: f.length, width: f.width, view };
}

/** Of two lines, from the nearer one's left end to the farther one's right end; none where their middles lie
 * opposite each other. */
function diagonalOf(f: Schemas['FloorReference']) {
  const shift = f.far?.shift ?? 0;
  return f.far && shift !== 0 ? Math.hypot(0.5 * (f.length + f.far.length) + shift, f.width) : null;
}

/** Size of the floor reference and its marked points. */
export function FloorPanel({
  floor,
  analysis,
  angle,
  size,
  mark,
  snapped,
  before,
  again,
}: {
  /** As it is marked on the picture in hand. */
  floor: Marks['floor'];
  analysis: Analysis;
  /** Whose picture that is. */
  angle: number;
  size: (entry: Schemas['MarkCommand']) => void;
  mark: (entry: Schemas['MarkCommand']) => void;
  /** What was near the last click. */
  snapped: Schemas['NearClick'] | null;
  /** An earlier take's reference that still fits. */
  before: Schemas['FloorBefore'] | null;
  again: (before: Schemas['FloorBefore']) => void;
}) {
  const { corner, snaps, set } = useBenchState();
  const [by, setBy] = useState<'tape' | 'tiles' | 'lines'>(
    floor?.tiles ? 'tiles' : floor?.far ? 'lines' : 'tape',
  );
  const [length, setLength] = useState(String(floor?.length ?? 2));
  const [width, setWidth] = useState(String(floor?.width ?? 1));
  const [far, setFar] = useState(String(floor?.far?.length ?? 2));
  const [diagonal, setDiagonal] = useState(() => {
    const d = floor ? diagonalOf(floor) : null;
    return d == null ? '' : String(Math.round(d * 1e3) / 1e3);
  });
  const [tile, setTile] = useState((floor?.tiles?.size ?? [0.5, 0.5]).map((m) => cm(m)));
  const [count, setCount] = useState((floor?.tiles?.count ?? [4, 2]).map(String));
  const [view, setView] = useState(floor?.view == null ? '' : String(floor.view));
  const typed = useMemo(() => {
    const seen = view ? Number(view) : null;
    const pair = (of: string[], usual: number) => of.map((v) => Number(v) || usual);
    return by === 'tape'
      ? {
          do: 'size_floor' as const,
          length: Number(length) || 2,
          width: Number(width) || 1,
          view: seen,
        }
      : by === 'lines'
        ? {
            do: 'line_floor' as const,
            near: Number(length) || 2,
            far: Number(far) || 2,
            apart: Number(width) || 1,
            diagonal: Number(diagonal) || null,
            view: seen,
          }
        : {
            do: 'tile_floor' as const,
            tiles: { size: pair(tile, 50).map((v) => v / 100), count: pair(count, 1) },
            view: seen,
          };
  }, [by, length, width, far, diagonal, tile, count, view]);
  useEffect(() => {
    set({ typed });
  }, [typed, set]);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    size(typed);
  };
  const first = angle === 1;
  const found = first ? analysis.floor : null;
  const stage = first ? analysis.floor_stage : analysis.angle_floors[angle - 2];
  return (
    <Panel
      title={first ? 'Floor' : `Floor, angle ${angle}`}
      note={found ? `± ${quantity(found.sigma, 'metres')} on the floor` : undefined}
    >
      {first && (
        <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 1, mt: 1 }}>
          <ToggleButtonGroup
            exclusive
            size="small"
            aria-label="What is measured by"
            value={by}
            onChange={(_, to: typeof by | null) => to && setBy(to)}
          >
            <ToggleButton value="tape">Rectangle</ToggleButton>
            <ToggleButton value="lines">Two lines</ToggleButton>
            <ToggleButton value="tiles">Tiles or boards</ToggleButton>
          </ToggleButtonGroup>
          <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
            {by === 'tape' ? (
              <>
                <Size label="Length, m" value={length} set={setLength} range={[0.2, 30]} />
                <Size label="Width, m" value={width} set={setWidth} range={[0.2, 30]} />
              </>
            ) : by === 'lines' ? (
              <Box
                sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1, flexBasis: '100%' }}
              >
                <Size label="Near line, m" value={length} set={setLength} range={[0.2, 30]} />
                <Size label="Far line, m" value={far} set={setFar} range={[0.2, 30]} />
                <Size label="Apart, m" value={width} set={setWidth} range={[0.2, 30]} />
                <TextField
                  label="Diagonal, m"
                  type="number"
                  value={diagonal}
                  onChange={(e) => setDiagonal(e.target.value)}
                  slotProps={{ htmlInput: { min: 0.2, max: 70, step: 'any' } }}
                />
              </Box>
            ) : (
              ['along', 'across'].map((way, k) => (
                <Box key={way} sx={{ display: 'flex', gap: 1, flexBasis: '100%' }}>
                  <Size
                    label={`One ${way}, cm`}
                    value={tile[k] ?? ''}
                    set={(v) => setTile(tile.map((t, i) => (i === k ? v : t)))}
                    range={[2, 500]}
                  />
                  <Size
                    label={`How many ${way}`}
                    value={count[k] ?? ''}
                    set={(v) => setCount(count.map((t, i) => (i === k ? v : t)))}
                    range={[1, 100]}
                    whole
                  />
                </Box>
              ))
            )}
            <TextField
              label="View, °"
              type="number"
              value={view}
              onChange={(e) => setView(e.target.value)}
              slotProps={{ htmlInput: { min: 20, max: 140, step: 'any' } }}
              sx={{ flex: 1, minWidth: 84 }}
            />
            <Button type="submit" variant="outlined">
              Set
            </Button>
          </Box>
        </Box>
      )}
      {before && (
        <Alert
          severity="info"
          sx={{ mt: 1 }}
          action={
            <Button color="inherit" onClick={() => again(before)}>
              Use it
            </Button>
          }
        >
          The phone stands as in take {before.number} of {day(before.held_on)}: {before.kept[0]} of{' '}
          {before.kept[1]} corners are where they were.
        </Alert>
      )}
      <Typography variant="caption" color="text.secondary">
        {first
          ? by === 'tape'
            ? 'Length runs along the slot. Edge middles are not needed but make it more exact. The lens’s view goes along the picture’s longer side; only where you know it.'
            : by === 'lines'
              ? 'Two parallel lines along the slot, such as tapes, the edge of a stage and of a rug; their ends are the corners. The diagonal goes from the near line’s left end to the far line’s right end; leave it out where their middles lie opposite each other.'
              : 'Count a block of tiles, or of boards with a straight end, from joint to joint; its corners are the points. Along is along the slot. A side of a metre or more is best.'
          : 'Each point is the one that has this name in the first angle, wherever it lies in this picture.'}
      </Typography>
      <List
        component="div"
        dense
        disablePadding
        aria-label="Points of the reference"
        sx={{ columnCount: 2, columnGap: 1 }}
      >
        {corners.map((name, i) => (
          <ListItemButton
            key={name}
            selected={i === corner}
            onClick={() => set({ corner: i })}
            sx={{ py: 0.1, px: 0.75, breakInside: 'avoid', borderRadius: 0.5 }}
          >
            <Typography variant="caption">
              {floor?.points[i] ? '✓' : '○'} {name}
            </Typography>
          </ListItemButton>
        ))}
      </List>
      {floor && (
        <FormControlLabel
          control={
            <Switch
              size="small"
              checked={floor.bent ?? false}
              onChange={(e) => mark({ do: 'bend_lens', bent: e.target.checked })}
            />
          }
          label={
            <Typography variant="body2">The lens bends straight lines (wide angle)</Typography>
          }
        />
      )}
      <FormControlLabel
        control={
          <Switch size="small" checked={snaps} onChange={(e) => set({ snaps: e.target.checked })} />
        }
        label={<Typography variant="body2">Clicks find the corner near them</Typography>}
      />
      {snaps && snapped && (
        <Typography variant="caption" color="text.secondary" role="status" component="p">
          {snapped.sigma == null
            ? 'No corner near the last click: it stands where you clicked.'
            : 'Moved to the corner near the click.'}
        </Typography>
      )}
      {floor?.points[corner] && (
        <Button onClick={() => mark({ do: 'mark_floor', point: corner, pixel: null })}>
          Take “{corners[corner]}” away
        </Button>
      )}
      {stage && <Refusal stage={stage} />}
      {found && (
        <Typography variant="body2" sx={{ mt: 0.5 }}>
          The marks miss the reference by {found.residual.toFixed(1)} pixels. Phone{' '}
          {found.distance.toFixed(1)} m away, {found.lens_height.toFixed(2)} m high. The grid drawn
          over the film is half a metre wide: it must lie on the floor.
        </Typography>
      )}
    </Panel>
  );
}

/** Points of a body, and arrivals of feet. */
export function BodiesPanel({
  pose,
  copy,
  arrive,
  clear,
}: {
  pose: Schemas['Pose'] | undefined;
  copy: () => void;
  arrive: (foot: 'L' | 'R', weight: boolean) => void;
  clear: () => void;
}) {
  const { role, landmark, set } = useBenchState();
  return (
    <Panel
      title="Bodies"
      note={`${Object.keys(pose?.points ?? {}).length} of 19 points at this frame`}
    >
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', my: 0.5 }}>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={role}
          onChange={(_, r: Role | null) => r && set({ role: r, landmark: 0 })}
          aria-label="Whose body"
        >
          {(['leader', 'follower'] as const).map((r) => (
            <ToggleButton key={r} value={r} sx={{ textTransform: 'none', gap: 0.75, py: 0.3 }}>
              <RoleMark role={r} /> {r}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Button variant="outlined" onClick={copy}>
          Copy from before
        </Button>
      </Box>
      <List
        component="div"
        dense
        disablePadding
        aria-label="Points of the body"
        sx={{ columnCount: 3, columnGap: 0.5 }}
      >
        {landmarks.map(([id, name], i) => (
          <ListItemButton
            key={id}
            selected={i === landmark}
            onClick={() => set({ landmark: i })}
            sx={{ py: 0, px: 0.5, breakInside: 'avoid', borderRadius: 0.5 }}
          >
            <Typography variant="caption" noWrap>
              {pose?.points[id] ? '✓' : '○'} {name}
            </Typography>
          </ListItemButton>
        ))}
      </List>
      <Box sx={{ display: 'flex', gap: 0.5, flexWrap: 'wrap', mt: 0.5 }}>
        <Button variant="outlined" onClick={() => arrive('L', true)}>
          Left arrives
        </Button>
        <Button variant="outlined" onClick={() => arrive('R', true)}>
          Right arrives
        </Button>
        <Button onClick={() => arrive('L', false)}>Left touches</Button>
        <Button onClick={() => arrive('R', false)}>Right touches</Button>
        <Button onClick={clear}>Clear</Button>
      </Box>
    </Panel>
  );
}
