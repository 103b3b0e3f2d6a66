import Add from '@mui/icons-material/Add';
import Remove from '@mui/icons-material/Close';
import Movie from '@mui/icons-material/MovieCreationOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import FormControlLabel from '@mui/material/FormControlLabel';
import IconButton from '@mui/material/IconButton';
import MenuItem from '@mui/material/MenuItem';
import Slider from '@mui/material/Slider';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useId, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useChart, useCharts, useMakePractice, useShowable } from '../api/hooks';
import { FloorStage } from '../charts/FloorStage';
import { useStepper } from '../charts/stepper';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';
import { roles } from '../words';

type Showable = Schemas['ShowableFault'];
type Shown = Required<Pick<Schemas['Shown'], 'fault' | 'role' | 'share'>> & { size: number };

/** A phone on a stand beside the couple. */
const usual: Schemas['Phone'] = {
  ...{ distance: 4.6, bearing: 6, height: 1.5, aim: 0.82, view: 63, roll: 0.6 },
  ...{ bend: 0, shake: 0, uneven: 0, clock: 0, fast: 0 },
  size: [960, 540],
  fps: 30,
};

/** How sizes are shown: unit, and the factor from what is sent. */
const units: Record<Schemas['Unit'], [string, number]> = {
  metres: ['cm', 100],
  degrees: ['°', 1],
  seconds: ['ms', 1000],
  ratio: ['×', 1],
  share: ['%', 100],
};

const music: Record<Schemas['Music'], string> = {
  clicks: 'a click on each beat',
  band: 'a small band',
  band_and_counts: 'a small band with the counts',
  strings: 'strings without drums',
  two_beat: 'a two-beat with a loud off-beat',
};

const quiet = { talk: 0, speech: 0, steps: 0 };

/** What is heard besides the music. */
const noises = {
  none: { words: 'nothing', heard: quiet },
  talk: { words: 'talk before the music', heard: { ...quiet, talk: 2 } },
  speech: { words: 'somebody speaking over it', heard: { ...quiet, speech: 0.25 } },
  steps: { words: 'the dancers’ steps', heard: { ...quiet, steps: 0.3 } },
  all: { words: 'all of it', heard: { talk: 2, speech: 0.25, steps: 0.3 } },
};

function Measure({
  name,
  label,
  value,
  unit,
  range,
  onChange,
}: {
  name: string;
  label: string;
  value: number;
  unit: string;
  range: [number, number];
  onChange: (value: number) => void;
}) {
  const id = useId();
  return (
    <Box
      sx={{ display: 'grid', gridTemplateColumns: '62px 1fr 62px', gap: 1.5, alignItems: 'center' }}
    >
      <Typography id={id} variant="caption" color="text.secondary">
        {name}
      </Typography>
      <Slider
        size="small"
        aria-label={label}
        getAriaValueText={(v) => `${v} ${unit}`}
        value={value}
        min={range[0]}
        max={range[1]}
        step={unit === '×' ? 0.1 : 1}
        onChange={(_, v) => onChange(v)}
      />
      <Typography variant="caption" sx={{ textAlign: 'right' }}>
        {value} {unit}
      </Typography>
    </Box>
  );
}

/** A fault that is shown: which, how much, and in how many repetitions. */
function FaultRow({
  shown,
  kinds,
  onChange,
  onRemove,
}: {
  shown: Shown;
  kinds: Showable[];
  onChange: (shown: Shown) => void;
  onRemove: () => void;
}) {
  const kind = kinds.find((k) => k.id === shown.fault);
  const [unit, times] = units[kind?.unit ?? 'degrees'];
  const [low, high] = (kind?.range ?? [0, 1]).map((v) => Math.round(v * times * 10) / 10);
  const what = `${kind?.name ?? shown.fault}, ${shown.role}`;
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: '1fr auto', columnGap: 1, mb: 1 }}>
      <TextField
        select
        size="small"
        label="Fault"
        value={shown.fault}
        onChange={(e) => {
          const next = kinds.find((k) => k.id === e.target.value);
          if (next) onChange({ ...shown, fault: next.id, size: next.usual });
        }}
      >
        {kinds.map((k) => (
          <MenuItem key={k.id} value={k.id}>
            {k.id} {k.name}
          </MenuItem>
        ))}
      </TextField>
      <IconButton aria-label={`Remove: ${what}`} onClick={onRemove}>
        <Remove />
      </IconButton>
      <Box sx={{ gridColumn: 'span 2', mt: 0.5 }}>
        {low !== high && (
          <Measure
            name="size"
            label={`Size: ${what}`}
            value={Math.round(shown.size * times * 10) / 10}
            unit={unit}
            range={[low ?? 0, high ?? 1]}
            onChange={(v) => onChange({ ...shown, size: v / times })}
          />
        )}
        <Measure
          name="shows in"
          label={`In how many repetitions: ${what}`}
          value={Math.round(100 * shown.share)}
          unit="%"
          range={[0, 100]}
          onChange={(v) => onChange({ ...shown, share: v / 100 })}
        />
      </Box>
    </Box>
  );
}

/** A clip of a simulated couple, to try the tool or to show a fault. */
export function StudioPage() {
  const charts = useCharts();
  return (
    <Loaded of={charts}>{(all) => <Studio charts={all.filter((c) => !c.own && c.sound)} />}</Loaded>
  );
}

function Studio({ charts }: { charts: Schemas['ChartCard'][] }) {
  const [chart, setChart] = useState('shag-basic');
  const [input, setInput] = useState({
    repetitions: 4,
    bpm: 118,
    heights: [1.82, 1.66],
    faults: [] as Shown[],
    phones: [usual],
    seed: 1,
    sound: { music: 'band' as Schemas['Music'], room: 0.02, talk: 0, speech: 0, steps: 0 },
    marked: true,
  });
  const [noise, setNoise] = useState<keyof typeof noises>('none');
  const set = (part: Partial<typeof input>) => setInput({ ...input, ...part });
  const card = charts.find((c) => c.id === chart);
  const sketch = useChart(chart).data?.sketch ?? undefined;
  const stepper = useStepper(sketch?.beats ?? [], sketch?.pattern.beats ?? 0, input.bpm);
  const make = useMakePractice();
  const go = useNavigate();
  const showable = useShowable(chart).data ?? [];
  // Another figure has no place for some of what the one before it could show.
  const faults = input.faults.filter((f) => {
    const kind = showable.find((k) => k.id === f.fault);
    return kind && (kind.counts[f.role === 'leader' ? 0 : 1]?.length ?? 0) > 0;
  });
  const [phone, second] = input.phones;
  const setPhone = (part: Partial<Schemas['Phone']>, which = 0) =>
    set({ phones: input.phones.map((p, i) => (i === which ? { ...p, ...part } : p)) });
  const beats = (card?.facts?.beats ?? 0) * input.repetitions;
  const sorted = [...charts].sort(
    (a, b) => a.dance.localeCompare(b.dance) || a.name.localeCompare(b.name),
  );
  const choose = (id: string) => {
    setChart(id);
    const c = charts.find((x) => x.id === id);
    if (c) set({ bpm: Math.round(((c.tempo[0] ?? 120) + (c.tempo[1] ?? 120)) / 2) });
  };
  const number = (
    label: string,
    value: number,
    [min, max]: [number, number],
    change: (n: number) => void,
  ) => (
    <TextField
      type="number"
      required
      label={label}
      value={Number.isNaN(value) ? '' : value}
      onChange={(e) => change(e.target.value === '' ? NaN : Number(e.target.value))}
      slotProps={{ htmlInput: { min, max, step: 'any' } }}
    />
  );
  return (
    <Place
      title="Studio"
      note="a simulated couple, filmed as a phone would: no real person is shown"
    >
      <Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate(
            { ...input, faults, chart },
            { onSuccess: (take) => void go(`/takes/${take.id}`) },
          );
        }}
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 7fr) minmax(0, 5fr)' },
          gap: 1.5,
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          <Card component="section" aria-label="What is danced" sx={{ p: 1.5 }}>
            <Typography variant="h2" gutterBottom>
              What is danced
            </Typography>
            <Box sx={{ display: 'grid', gridTemplateColumns: '2fr 1fr 1fr', gap: 1.5, mt: 1.5 }}>
              <TextField
                select
                label="Figure"
                value={chart}
                onChange={(e) => choose(e.target.value)}
              >
                {sorted.map((c) => (
                  <MenuItem key={c.id} value={c.id}>
                    {c.dance}: {c.name}
                  </MenuItem>
                ))}
              </TextField>
              {number('Times', input.repetitions, [1, 64], (repetitions) => set({ repetitions }))}
              {number('Beats a minute', input.bpm, [40, 300], (bpm) => set({ bpm }))}
            </Box>
          </Card>
          <Card component="section" aria-label="How it is danced" sx={{ p: 1.5 }}>
            <Typography variant="h2">How it is danced</Typography>
            <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 3, mt: 1 }}>
              {roles.map((role, r) => (
                <Box key={role}>
                  <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, mb: 1 }}>
                    <RoleMark role={role} />
                    <Typography variant="h3" sx={{ flex: 1 }}>
                      {role === 'leader' ? 'Leader' : 'Follower'}
                    </Typography>
                    <Box sx={{ width: 110 }}>
                      {number(
                        'Height, cm',
                        Math.round(100 * (input.heights[r] ?? 0)),
                        [100, 230],
                        (cm) =>
                          set({ heights: input.heights.map((h, i) => (i === r ? cm / 100 : h)) }),
                      )}
                    </Box>
                  </Box>
                  {faults.map((f, i) =>
                    f.role === role ? (
                      <FaultRow
                        key={i}
                        shown={f}
                        kinds={showable.filter((k) => (k.counts[r]?.length ?? 0) > 0)}
                        onChange={(to) => set({ faults: faults.map((x, k) => (k === i ? to : x)) })}
                        onRemove={() => set({ faults: faults.filter((_, k) => k !== i) })}
                      />
                    ) : null,
                  )}
                  <Button
                    startIcon={<Add />}
                    onClick={() => {
                      const taken = faults.filter((x) => x.role === role).map((x) => x.fault);
                      const next = showable.find(
                        (k) => (k.counts[r]?.length ?? 0) > 0 && !taken.includes(k.id),
                      );
                      if (next)
                        set({
                          faults: [...faults, { fault: next.id, role, size: next.usual, share: 1 }],
                        });
                    }}
                  >
                    Add a fault of the {role}
                  </Button>
                  {!faults.some((f) => f.role === role) && (
                    <Typography variant="body2" color="text.secondary">
                      Dances cleanly, with the small differences everybody has.
                    </Typography>
                  )}
                </Box>
              ))}
            </Box>
          </Card>
        </Box>
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          {sketch && <FloorStage sketch={sketch} stepper={stepper} />}
          <Card component="section" aria-label="The phone and the music" sx={{ p: 1.5 }}>
            <Typography variant="h2" gutterBottom>
              The phone and the music
            </Typography>
            <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr 1fr', gap: 1.5, mt: 1.5 }}>
              {number('Distance, m', phone?.distance ?? 4.6, [1.5, 30], (distance) =>
                setPhone({ distance }),
              )}
              {number('Height, m', phone?.height ?? 1.5, [0.3, 4], (height) =>
                setPhone({ height }),
              )}
              {number('From the side, °', phone?.bearing ?? 0, [-180, 180], (bearing) =>
                setPhone({ bearing }),
              )}
              <TextField
                select
                label="Picture"
                value={phone?.size?.[0] ?? 960}
                onChange={(e) => {
                  const size = Number(e.target.value) === 960 ? [960, 540] : [1280, 720];
                  set({ phones: input.phones.map((p) => ({ ...p, size })) });
                }}
              >
                <MenuItem value={960}>960 × 540</MenuItem>
                <MenuItem value={1280}>1280 × 720</MenuItem>
              </TextField>
              <TextField
                select
                label="Frames a second"
                value={phone?.fps ?? 30}
                onChange={(e) => setPhone({ fps: Number(e.target.value) })}
              >
                {[24, 25, 30, 50, 60].map((f) => (
                  <MenuItem key={f} value={f}>
                    {f}
                  </MenuItem>
                ))}
              </TextField>
              <TextField
                select
                label="Held by"
                value={phone?.shake ? 'hand' : 'stand'}
                onChange={(e) => setPhone({ shake: e.target.value === 'hand' ? 0.25 : 0 })}
              >
                <MenuItem value="stand">a stand</MenuItem>
                <MenuItem value="hand">a hand</MenuItem>
              </TextField>
              {number('Evening number', input.seed, [0, 4294967295], (seed) => set({ seed }))}
              <TextField
                select
                label="Sound"
                value={input.sound.music}
                onChange={(e) =>
                  set({ sound: { ...input.sound, music: e.target.value as Schemas['Music'] } })
                }
                sx={{ gridColumn: 'span 2' }}
              >
                {Object.entries(music).map(([m, name]) => (
                  <MenuItem key={m} value={m}>
                    {name}
                  </MenuItem>
                ))}
              </TextField>
              <TextField
                select
                label="What else is heard"
                value={noise}
                onChange={(e) => {
                  const name = e.target.value as keyof typeof noises;
                  setNoise(name);
                  set({ sound: { ...input.sound, ...noises[name].heard } });
                }}
              >
                {Object.entries(noises).map(([name, { words }]) => (
                  <MenuItem key={name} value={name}>
                    {words}
                  </MenuItem>
                ))}
              </TextField>
            </Box>
            <FormControlLabel
              control={
                <Switch
                  checked={second !== undefined}
                  onChange={(e) =>
                    set({
                      phones: e.target.checked
                        ? [
                            ...input.phones,
                            {
                              ...(phone ?? usual),
                              bearing: 74,
                              height: 1.6,
                              fps: 25,
                              clock: 0.6,
                              fast: 45,
                            },
                          ]
                        : input.phones.slice(0, 1),
                    })
                  }
                />
              }
              label="Film it with a second phone as well"
            />
            {second && (
              <Box
                sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr 1fr', gap: 1.5, my: 1 }}
                role="group"
                aria-label="The second phone"
              >
                {number('2nd: from the side, °', second.bearing ?? 0, [-180, 180], (bearing) =>
                  setPhone({ bearing }, 1),
                )}
                {number('2nd: height, m', second.height ?? 1.6, [0.3, 4], (height) =>
                  setPhone({ height }, 1),
                )}
                {number('2nd: starts after, s', second.clock ?? 0, [-2, 60], (clock) =>
                  setPhone({ clock }, 1),
                )}
              </Box>
            )}
            <FormControlLabel
              control={
                <Switch
                  checked={input.marked}
                  onChange={(e) => set({ marked: e.target.checked })}
                />
              }
              label="Mark it as a careful hand would"
            />
            <Failure error={make.error} />
            <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5, mt: 1 }}>
              <Button
                type="submit"
                variant="contained"
                startIcon={<Movie />}
                loading={make.isPending}
              >
                Make the clip
              </Button>
              <Typography variant="body2" color="text.secondary">
                about {Math.round((beats * 60) / input.bpm) || 0} s of dancing
              </Typography>
            </Box>
          </Card>
        </Box>
      </Box>
    </Place>
  );
}
