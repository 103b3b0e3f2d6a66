import Movie from '@mui/icons-material/MovieCreationOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Slider from '@mui/material/Slider';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useId, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useChart, useCharts, useMakePractice } from '../api/hooks';
import { FloorStage } from '../charts/FloorStage';
import { useStepper } from '../charts/stepper';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';
import { roles } from '../words';

type Habits = Schemas['Habits'];
type Habit = Exclude<keyof Habits, 'touches'>;

const clean: Required<Habits> = {
  late: 0,
  uneven: 0,
  stride: 1,
  drift: 0,
  thrown: 0,
  lean_away: 0,
  twisted: 0,
  touches: null,
  share: 1,
};

/** Ways of dancing, as they are shown: unit and range, and the factor to what is sent. */
const ways: { key: Habit; name: string; unit: string; range: [number, number]; times: number }[] = [
  { key: 'late', name: 'Late, or early', unit: 'ms', range: [-200, 200], times: 0.001 },
  { key: 'uneven', name: 'Uneven timing', unit: 'ms', range: [0, 80], times: 0.001 },
  { key: 'stride', name: 'Step length', unit: '%', range: [60, 140], times: 0.01 },
  { key: 'drift', name: 'Off the slot, left', unit: 'cm', range: [-30, 30], times: 0.01 },
  { key: 'thrown', name: 'Back steps thrown outward', unit: '°', range: [-30, 30], times: 1 },
  { key: 'lean_away', name: 'Leans away from the partner', unit: '°', range: [0, 15], times: 1 },
  { key: 'twisted', name: 'Feet turned left', unit: '°', range: [-30, 30], times: 1 },
  { key: 'share', name: 'In how many repetitions', unit: '%', range: [0, 100], times: 0.01 },
];

const music: Record<Schemas['Music'], string> = {
  clicks: 'a click on each beat',
  band: 'a small band',
  band_and_counts: 'a small band with the counts',
};

/** Turns `times` back into what is shown. */
const shown = (value: number, times: number) => Math.round(value / times);

function WayField({
  way,
  role,
  value,
  onChange,
}: {
  way: (typeof ways)[number];
  role: string;
  value: number;
  onChange: (value: number) => void;
}) {
  const id = useId();
  const now = shown(value, way.times);
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: '1fr 130px 62px',
        gap: 1.5,
        alignItems: 'center',
      }}
    >
      <Typography id={id} variant="body2">
        {way.name}
      </Typography>
      <Slider
        size="small"
        aria-label={`${way.name}, ${role}`}
        getAriaValueText={(v) => `${v} ${way.unit}`}
        value={now}
        min={way.range[0]}
        max={way.range[1]}
        onChange={(_, v) => onChange(v * way.times)}
      />
      <Typography variant="caption" color="text.secondary" sx={{ textAlign: 'right' }}>
        {now} {way.unit}
      </Typography>
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
    habits: [clean, clean],
    phone: { distance: 4.6, bearing: 6, height: 1.5, view: 63, roll: 0.6 },
    size: [960, 540],
    fps: 30,
    seed: 1,
    sound: { music: 'band' as Schemas['Music'], room: 0.02 },
    marked: true,
  });
  const set = (part: Partial<typeof input>) => setInput({ ...input, ...part });
  const card = charts.find((c) => c.id === chart);
  const sketch = useChart(chart).data?.sketch ?? undefined;
  const stepper = useStepper(sketch?.beats ?? [], sketch?.pattern.beats ?? 0, input.bpm);
  const make = useMakePractice();
  const go = useNavigate();
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
          make.mutate({ ...input, chart }, { onSuccess: (take) => void go(`/takes/${take.id}`) });
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
                  {ways.map((way) => (
                    <WayField
                      key={way.key}
                      way={way}
                      role={role}
                      value={input.habits[r]?.[way.key] ?? clean[way.key]}
                      onChange={(v) =>
                        set({
                          habits: input.habits.map((h, i) =>
                            i === r ? { ...h, [way.key]: v } : h,
                          ),
                        })
                      }
                    />
                  ))}
                  <TextField
                    select
                    fullWidth
                    label="Touches instead of stepping"
                    value={input.habits[r]?.touches ?? ''}
                    onChange={(e) =>
                      set({
                        habits: input.habits.map((h, i) =>
                          i === r
                            ? {
                                ...h,
                                touches: e.target.value === '' ? null : Number(e.target.value),
                              }
                            : h,
                        ),
                      })
                    }
                    sx={{ mt: 1 }}
                  >
                    <MenuItem value="">never</MenuItem>
                    {(sketch?.trails[r]?.steps ?? [])
                      .filter((s) => s.weighted)
                      .map((s) => (
                        <MenuItem key={s.count} value={s.count}>
                          on count {sketch?.pattern.marks[s.count]?.label}
                        </MenuItem>
                      ))}
                  </TextField>
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
              {number('Distance, m', input.phone.distance, [1.5, 30], (distance) =>
                set({ phone: { ...input.phone, distance } }),
              )}
              {number('Height, m', input.phone.height, [0.3, 4], (height) =>
                set({ phone: { ...input.phone, height } }),
              )}
              {number('From the side, °', input.phone.bearing, [-85, 85], (bearing) =>
                set({ phone: { ...input.phone, bearing } }),
              )}
              <TextField
                select
                label="Picture"
                value={input.size[0]}
                onChange={(e) =>
                  set({ size: Number(e.target.value) === 960 ? [960, 540] : [1280, 720] })
                }
              >
                <MenuItem value={960}>960 × 540</MenuItem>
                <MenuItem value={1280}>1280 × 720</MenuItem>
              </TextField>
              <TextField
                select
                label="Frames a second"
                value={input.fps}
                onChange={(e) => set({ fps: Number(e.target.value) })}
              >
                {[24, 25, 30, 50, 60].map((f) => (
                  <MenuItem key={f} value={f}>
                    {f}
                  </MenuItem>
                ))}
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
            </Box>
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
