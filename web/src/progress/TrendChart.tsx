import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { useCharts } from '../api/hooks';
import { tone } from '../theme';
import { day, daysBetween, plainReading, reading } from '../words';

const W = 760;
const H = 300;
const LEFT = 104;
const RIGHT = 16;
const TOP = 16;
const BOTTOM = 28;

/** Values of one fault over time with ±, the fine band, the clear edge and the trend. */
export function TrendChart({ of }: { of: Schemas['FaultProgress'] }) {
  const charts = useCharts();
  const chart = charts.data?.find((c) => c.id === of.chart);
  const figure = chart ? `${chart.dance}, ${chart.name}` : of.chart;
  const { takes, level, left_out, real_from, shape } = of.progress;
  const alike = takes.map((_, i) => i).filter((i) => !left_out.includes(i));
  const first = takes[0]?.date ?? '';
  const days = takes.map((t) => daysBetween(first, t.date));
  const span = Math.max(7, days.at(-1) ?? 0);
  const x = (d: number) => LEFT + 14 + (d / span) * (W - LEFT - RIGHT - 28);
  const edges = [...of.band.fine, ...of.band.clear].filter((e): e is number => e != null);
  const all = [
    ...edges,
    ...takes.flatMap((t) => [t.value.value + t.value.sigma, t.value.value - t.value.sigma]),
  ];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const pad = 0.1 * (high - low || 1);
  const y = (v: number) => TOP + ((high + pad - v) / (high - low + 2 * pad)) * (H - TOP - BOTTOM);
  const [lo, hi] = of.band.fine;
  const top = hi == null ? TOP : y(hi);
  const bottom = lo == null ? H - BOTTOM : y(lo);
  const colour = of.role === 'leader' ? tone.leader : tone.follower;
  // The level through the takes, one σ either way.
  const edge = (sign: number) =>
    level.map((l, k) => `${x(days[alike[k] ?? 0] ?? 0)} ${y(l.value + sign * l.sigma)}`);
  const ribbon = level.length > 2 ? `M${[...edge(1), ...edge(-1).reverse()].join('L')}Z` : null;
  const step = shape?.is === 'step' ? days[alike[shape.at] ?? 0] : undefined;
  const real = real_from != null ? days[real_from] : undefined;
  const outside = (v: number) => (lo != null && v < lo) || (hi != null && v > hi);
  const ticks = [...new Set(edges)];
  return (
    <>
      <Box sx={{ display: 'flex', justifyContent: 'space-between' }}>
        <Typography variant="h2">{of.name}</Typography>
        <Typography variant="body2" color="text.secondary">
          {figure}, with {of.partner}
        </Typography>
      </Box>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        width="100%"
        role="img"
        aria-label={takes
          .map((t) => `${day(t.date)}: ${reading(of.measure, t.value, of.unit)}`)
          .join('; ')}
        style={{ fontSize: 12, display: 'block' }}
      >
        <rect
          x={LEFT}
          y={top}
          width={W - LEFT - RIGHT}
          height={Math.max(0, bottom - top)}
          fill={tone.fine}
          opacity={0.7}
        />
        <text x={LEFT + 6} y={Math.max(top + 15, TOP + 12)} fill={tone.second}>
          fine
        </text>
        {of.band.clear.map(
          (c, i) =>
            c != null && (
              <g key={i}>
                <line
                  x1={LEFT}
                  x2={W - RIGHT}
                  y1={y(c)}
                  y2={y(c)}
                  stroke={tone.second}
                  strokeDasharray="3 4"
                />
              </g>
            ),
        )}
        {ticks.map((t) => (
          <text key={t} x={LEFT - 8} y={y(t) + 4} textAnchor="end" fill={tone.second}>
            {of.band.clear.includes(t) ? 'clear ' : ''}
            {plainReading(of.measure, t, of.unit)}
          </text>
        ))}
        {ribbon && <path d={ribbon} fill={colour} opacity={0.14} />}
        {step != null && (
          <line
            x1={x(step)}
            x2={x(step)}
            y1={H - BOTTOM - 8}
            y2={H - BOTTOM}
            stroke={colour}
            strokeWidth={2}
          />
        )}
        {real !== undefined && (
          <>
            <line
              x1={x(real)}
              x2={x(real)}
              y1={TOP}
              y2={H - BOTTOM}
              stroke={tone.ink}
              strokeDasharray="2 4"
            />
            <text
              x={x(real) + (real > span / 2 ? -6 : 6)}
              y={TOP + 10}
              textAnchor={real > span / 2 ? 'end' : 'start'}
              fill={tone.ink}
            >
              real change from here
            </text>
          </>
        )}
        {takes.map((t, i) => {
          const at = x(days[i] ?? 0);
          const v = t.value;
          const fill = outside(v.value) ? colour : tone.card;
          return (
            <g key={i} stroke={colour} strokeWidth={1.8}>
              <line
                x1={at}
                x2={at}
                y1={y(v.value - v.sigma)}
                y2={y(v.value + v.sigma)}
                strokeWidth={2.4}
              />
              {of.role === 'leader' ? (
                <rect x={at - 5} y={y(v.value) - 5} width={10} height={10} fill={fill} />
              ) : (
                <circle cx={at} cy={y(v.value)} r={5.6} fill={fill} />
              )}
              {left_out.includes(i) && (
                <path
                  d={`M${at - 8} ${y(v.value) - 8}l16 16m0 -16l-16 16`}
                  stroke={tone.second}
                  strokeWidth={1.4}
                />
              )}
              {(takes.length < 10 || i % 2 === 0) && (
                <text x={at} y={H - 8} textAnchor="middle" fill={tone.second} stroke="none">
                  {day(t.date)}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </>
  );
}
