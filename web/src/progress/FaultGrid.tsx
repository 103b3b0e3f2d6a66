import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Chip from '@mui/material/Chip';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { RoleMark } from '../shapes/RoleMark';
import { useWidth } from '../shapes/useWidth';
import { tone } from '../theme';
import { day, daysBetween, reading, statusName } from '../words';

type Fault = Schemas['FaultProgress'];

const HEIGHT = 34;

/** One fault over its takes: filled outside the fine band, hollow inside, ± as a line. */
function Lane({ f, from, days }: { f: Fault; from: string; days: number }) {
  const [box, width] = useWidth();
  const values = f.progress.takes.map((t) => t.value);
  const edges = f.band.fine.filter((e): e is number => e != null);
  const low = Math.min(...values.map((v) => v.value), ...edges);
  const high = Math.max(...values.map((v) => v.value), ...edges);
  const pad = 0.25 * (high - low || 1);
  const y = (v: number) => 3 + ((high + pad - v) / (high - low + 2 * pad)) * (HEIGHT - 6);
  const x = (i: number) =>
    18 + (daysBetween(from, f.progress.takes[i]?.date ?? from) / days) * (width - 36);
  const [lo, hi] = f.band.fine;
  const top = hi == null ? 0 : y(hi);
  const bottom = lo == null ? HEIGHT : y(lo);
  const colour = f.role === 'leader' ? tone.leader : tone.follower;
  const outside = (v: number) => (lo != null && v < lo) || (hi != null && v > hi);
  const label = f.progress.takes
    .map((t) => `${day(t.date)} ${reading(f.measure, t.value, f.unit)}`)
    .join(', ');
  return (
    <Box ref={box} sx={{ minWidth: 0, height: HEIGHT }}>
      <svg width={width} height={HEIGHT} role="img" aria-label={label}>
        <rect
          y={Math.max(0, top)}
          width={width}
          height={Math.max(0, Math.min(HEIGHT, bottom) - Math.max(0, top))}
          fill={tone.fine}
          opacity={0.7}
        />
        {values.map((v, i) => {
          const fill = outside(v.value) ? colour : tone.card;
          return (
            <g key={i} stroke={colour}>
              <line
                x1={x(i)}
                x2={x(i)}
                y1={y(v.value + v.sigma)}
                y2={y(v.value - v.sigma)}
                strokeWidth={2}
              />
              {f.role === 'leader' ? (
                <rect
                  x={x(i) - 4.5}
                  y={y(v.value) - 4.5}
                  width={9}
                  height={9}
                  fill={fill}
                  strokeWidth={1.6}
                />
              ) : (
                <circle cx={x(i)} cy={y(v.value)} r={5} fill={fill} strokeWidth={1.6} />
              )}
            </g>
          );
        })}
      </svg>
    </Box>
  );
}

/** Faults × takes. */
export function FaultGrid({
  faults,
  chosen,
  onChoose,
}: {
  faults: Fault[];
  chosen: Fault;
  onChoose: (f: Fault) => void;
}) {
  const all = faults.flatMap((f) => f.progress.takes.map((t) => t.date)).sort();
  const from = all[0] ?? '';
  const days = Math.max(1, daysBetween(from, all.at(-1) ?? from));
  const dates = [...new Set(chosen.progress.takes.map((t) => t.date))];
  const partners = new Set(faults.map((f) => f.partner)).size;
  // Labels that would stand on each other are left out.
  const shown = dates.filter(
    (d, i) => i === 0 || daysBetween(dates[i - 1] ?? d, d) / days > 0.06 || i === dates.length - 1,
  );
  return (
    <>
      <Box sx={{ display: 'flex', justifyContent: 'space-between' }}>
        <Typography variant="h2">What is better, what is not</Typography>
        <Typography variant="body2" color="text.secondary">
          each mark: mean of a take, its line ± one sigma; stripe = fine
        </Typography>
      </Box>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: '260px minmax(0, 1fr) 150px',
          columnGap: 1.5,
          alignItems: 'center',
        }}
      >
        <span />
        <Box sx={{ position: 'relative', height: 18, mx: '18px' }}>
          {shown.map((d) => (
            <Typography
              key={d}
              variant="caption"
              color="text.secondary"
              sx={{
                position: 'absolute',
                left: `${(100 * daysBetween(from, d)) / days}%`,
                transform: 'translateX(-50%)',
                whiteSpace: 'nowrap',
              }}
            >
              {day(d)}
            </Typography>
          ))}
        </Box>
        <span />
        {faults.map((f) => (
          <Box key={`${f.fault} ${f.chart} ${f.partner}`} sx={{ display: 'contents' }}>
            <ButtonBase
              onClick={() => onChoose(f)}
              aria-pressed={f === chosen}
              sx={{
                justifyContent: 'flex-start',
                gap: 1,
                textAlign: 'left',
                p: 0.75,
                minHeight: 42,
                borderRadius: 1,
                bgcolor: f === chosen ? 'action.selected' : undefined,
              }}
            >
              <RoleMark role={f.of_couple ? null : f.role} />
              <Typography variant="body2" component="span" sx={{ fontWeight: 700 }}>
                {f.name}
                {partners > 1 && (
                  <Typography variant="caption" color="text.secondary" sx={{ display: 'block' }}>
                    with {f.partner}
                  </Typography>
                )}
              </Typography>
            </ButtonBase>
            <Lane f={f} from={from} days={days} />
            <Box>
              <Status status={f.progress.status} still={f.progress.unmoved} />
            </Box>
          </Box>
        ))}
      </Box>
    </>
  );
}

export function Status({ status, still = false }: { status: Schemas['Status']; still?: boolean }) {
  const active = status === 'working' || status === 'new';
  return (
    <Chip
      size="small"
      label={still ? 'no change to tell' : statusName(status)}
      variant={active || status === 'slipped_back' ? 'filled' : 'outlined'}
      color={active ? 'primary' : undefined}
      sx={
        status === 'slipped_back'
          ? { bgcolor: 'caution.main', color: 'caution.contrastText' }
          : undefined
      }
    />
  );
}
