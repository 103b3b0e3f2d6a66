import Box from '@mui/material/Box';
import type { Schemas } from '../api/client';
import { useWidth } from '../shapes/useWidth';
import { tone } from '../theme';
import { coupleWords, landmarkName } from '../charts/words';
import { roles, type Role } from '../words';
import type { Cell } from './cells';

const LABELS = 84;
const MOST_REPETITIONS = 4;

type Analysis = Schemas['Analysis'];
interface Point {
  x: number;
  value: number;
  sigma: number;
}

/** A line with its ribbon of ± one σ; gaps stay gaps. */
function Ribbon({
  points,
  y,
  colour,
  dashed,
}: {
  points: Point[];
  y: (v: number) => number;
  colour: string;
  dashed: boolean;
}) {
  if (points.length === 0) return null;
  const line = points.map((p, i) => `${i ? 'L' : 'M'}${p.x} ${y(p.value)}`).join('');
  const upper = points.map((p, i) => `${i ? 'L' : 'M'}${p.x} ${y(p.value + p.sigma)}`).join('');
  const lower = [...points]
    .reverse()
    .map((p) => `L${p.x} ${y(p.value - p.sigma)}`)
    .join('');
  return (
    <g>
      <path d={`${upper}${lower}Z`} fill={colour} opacity={0.16} />
      <path
        d={line}
        fill="none"
        stroke={colour}
        strokeWidth={1.6}
        strokeDasharray={dashed ? '5 3' : undefined}
      />
    </g>
  );
}

interface LaneSpec {
  name: string;
  note: string;
  measure: string;
  roles: (Role | null)[];
  band: [number | null, number | null] | null;
  /** Half of the least span shown. */
  least: number;
}

function lanes(chart: Schemas['Sketch'] | undefined): LaneSpec[] {
  const open = chart?.draft.start.position === 'open_facing';
  return [
    {
      name: 'Timing',
      note: 'late above',
      measure: 'arrival',
      roles: ['leader', 'follower'],
      band: [-0.05, 0.05],
      least: 0.12,
    },
    open
      ? {
          name: 'Gap',
          note: 'share of limit',
          measure: 'separation_share',
          roles: [null],
          band: [0.55, 0.92],
          least: 0.3,
        }
      : {
          name: 'Gap',
          note: 'metres',
          measure: 'separation',
          roles: [null],
          band: null,
          least: 0.15,
        },
    {
      name: 'Turn',
      note: 'left above',
      measure: 'turn',
      roles: ['leader', 'follower'],
      band: null,
      least: 30,
    },
  ];
}

interface Charted {
  role: Role;
  repetition: number;
  count: number;
  value: number;
}

/** The charted turns of the visible counts, degrees. */
function charted(chart: Schemas['Sketch'] | undefined, visible: Cell[]): Charted[] {
  return visible.flatMap((c) =>
    roles.flatMap((role, r) => {
      const row = chart?.rows[r]?.find((x) => x.count === c.count);
      return row ? [{ role, repetition: c.repetition, count: c.count, value: 45 * row.turn }] : [];
    }),
  );
}

/** What a judgement looks for on a count, in words. */
function watched(chart: Schemas['Sketch'] | undefined, count: number) {
  const ofRoles = roles.flatMap((role, r) =>
    (chart?.rows[r]?.find((x) => x.count === count)?.judge ?? []).map(
      (j) => `${role}: ${landmarkName[j]}`,
    ),
  );
  const couple = chart?.draft.couple?.find((c) => c.count === count);
  // That the partners pass each other is no event of its own.
  const words =
    couple?.judge?.includes('stretch') || couple?.holds?.length ? [coupleWords(couple)] : [];
  return [...ofRoles, ...words].join('; ');
}

/** Musical time: repetitions and counts, each role's steps, lanes of measures and pins of findings. */
export function Rail({
  analysis,
  chart,
  at,
  cell,
  pins,
  onPick,
}: {
  analysis: Analysis;
  chart: Schemas['Sketch'] | undefined;
  at: number;
  cell: Cell | undefined;
  pins: { repetition: number; count: number; strong: boolean }[];
  onPick: (cell: Cell) => void;
}) {
  const [box, width] = useWidth();
  const count = analysis.count;
  const cells = count?.cells ?? [];
  const repetitions = cells.length ? (cells.at(-1)?.repetition ?? 0) + 1 : 0;
  // A long take is followed through a window of a few repetitions.
  const shown = Math.min(MOST_REPETITIONS, repetitions);
  const first = Math.max(0, Math.min((cell?.repetition ?? 0) - 1, repetitions - shown));
  const visible = cells.filter((c) => c.repetition >= first && c.repetition < first + shown);
  const begin = visible[0]?.at ?? 0;
  const end = cells.find((c) => c.repetition === first + shown)?.at ?? count?.end ?? 1;
  const span = Math.max(1, end - begin);
  const x = (t: number) => LABELS + 10 + ((t - begin) / span) * (width - LABELS - 20);
  const specs = lanes(chart);
  const laneTop = (i: number) => 84 + i * 38;
  const height = laneTop(specs.length) + 4;
  const xOf = (repetition: number, index: number) => {
    const c = visible.find((v) => v.repetition === repetition && v.count === index);
    return c && x(c.at);
  };

  return (
    <Box ref={box} sx={{ width: '100%', overflow: 'hidden' }}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label="Count rail; move along it with Shift and the arrow keys"
        style={{ display: 'block', fontSize: 12 }}
      >
        {cell && (
          <rect
            x={x(cell.at) - 11}
            y={0}
            width={22}
            height={height}
            fill={tone.caution}
            opacity={0.16}
          />
        )}
        {cells.length === 0 && (
          <text x={LABELS + 8} y={26} fontSize={13} fill={tone.second}>
            {analysis.count_stage.state === 'ready'
              ? 'Name the figure to see its counts over the film.'
              : analysis.count_stage.what}
          </text>
        )}
        {visible.map((c) => (
          <g key={`${c.repetition} ${c.count}`}>
            {c.count === 0 && (
              <>
                <line
                  x1={x(c.at) - 12}
                  x2={x(c.at) - 12}
                  y1={0}
                  y2={height}
                  stroke={tone.ink}
                  strokeWidth={1}
                  opacity={0.7}
                />
                <text x={x(c.at) - 8} y={11} fill={tone.second}>
                  repetition {c.repetition + 1}
                </text>
              </>
            )}
            <text
              x={x(c.at)}
              y={30}
              textAnchor="middle"
              fontWeight={c.between ? 400 : 700}
              fontSize={c.between ? 12 : 14}
              fill={c === cell ? tone.ink : c.between ? tone.second : tone.ink}
            >
              {c.label}
            </text>
            <rect
              data-cell={`${c.repetition + 1}-${c.count}`}
              x={x(c.at) - 12}
              y={14}
              width={24}
              height={24}
              fill="transparent"
              cursor="pointer"
              onClick={() => onPick(c)}
            />
          </g>
        ))}
        <text x={2} y={56} fontWeight={700} fill={tone.ink}>
          Steps
        </text>
        <text x={2} y={70} fill={tone.second} fontSize={11}>
          left foot above
        </text>
        {analysis.steps
          .filter((s) => s.repetition >= first && s.repetition < first + shown)
          .map((s) => {
            const here = x(s.arrived ?? s.charted);
            const y = (s.role === 'leader' ? 48 : 66) + (s.foot === 'L' ? -3 : 5);
            const marked = s.arrived != null;
            const wrong = marked && s.outcome !== 'as_charted';
            const colour = s.role === 'leader' ? tone.leader : tone.follower;
            const look = {
              fill: marked ? colour : 'none',
              stroke: wrong ? tone.caution : colour,
              strokeWidth: wrong ? 2.5 : 1.2,
              opacity: marked ? 1 : 0.55,
            };
            return s.role === 'leader' ? (
              <rect
                key={`l${s.repetition} ${s.count}`}
                x={here - 4}
                y={y - 4}
                width={8}
                height={8}
                {...look}
              />
            ) : (
              <circle key={`f${s.repetition} ${s.count}`} cx={here} cy={y} r={4.3} {...look} />
            );
          })}
        {specs.map((lane, i) => (
          <Lane
            key={lane.name}
            lane={lane}
            top={laneTop(i)}
            width={width}
            analysis={analysis}
            xOf={xOf}
            charted={lane.measure === 'turn' ? charted(chart, visible) : []}
          />
        ))}
        {visible.map((c) => {
          const what = watched(chart, c.count);
          return (
            what && (
              <path
                key={`w${c.repetition} ${c.count}`}
                d={`M${x(c.at)} 14.5l3.5 3.5l-3.5 3.5l-3.5 -3.5z`}
                transform="translate(12 8)"
                fill="none"
                stroke={tone.ink}
              >
                <title>{what}</title>
              </path>
            )
          );
        })}
        {pins.map((p) => {
          const here = xOf(p.repetition, p.count);
          return (
            here !== undefined && (
              <path
                key={`${p.repetition} ${p.count} ${p.strong}`}
                d={`M${here - 5} 36h10l-5 7z`}
                fill={tone.ink}
                opacity={p.strong ? 1 : 0.3}
              />
            )
          );
        })}
        {count && at >= begin && at <= end && (
          <line
            x1={x(at)}
            x2={x(at)}
            y1={14}
            y2={height}
            stroke={tone.caution}
            strokeWidth={2}
            pointerEvents="none"
          />
        )}
      </svg>
    </Box>
  );
}

function Lane({
  lane,
  top,
  width,
  analysis,
  xOf,
  charted,
}: {
  lane: LaneSpec;
  top: number;
  width: number;
  analysis: Analysis;
  xOf: (repetition: number, count: number) => number | undefined;
  /** What the chart expects there. */
  charted: Charted[];
}) {
  const height = 34;
  const series = lane.roles.map((role) =>
    analysis.measures.flatMap((m) => {
      if (m.id !== lane.measure || (m.role ?? null) !== role || m.count == null) return [];
      const x = xOf(m.repetition, m.count);
      return x !== undefined && m.reading.seen === 'value'
        ? [{ x, value: m.reading.value, sigma: m.reading.sigma }]
        : [];
    }),
  );
  const values = series.flat().map((p) => p.value);
  const expected = values.length ? charted : [];
  const edges = [
    ...(lane.band?.filter((b): b is number => b !== null) ?? []),
    ...expected.map((e) => e.value),
  ];
  const low = Math.min(...values, ...edges);
  const high = Math.max(...values, ...edges);
  const middle = values.length + edges.length ? (low + high) / 2 : 0;
  const half = Math.max(lane.least, 0.58 * (high - low));
  const y = (v: number) => top + 2 + ((middle + half - v) / (2 * half)) * (height - 4);
  const [from, to] = lane.band ?? [null, null];
  return (
    <g>
      <line x1={0} x2={width} y1={top - 2} y2={top - 2} stroke={tone.hairline} />
      <text x={2} y={top + 13} fontWeight={700} fill={tone.ink}>
        {lane.name}
      </text>
      <text x={2} y={top + 27} fill={tone.second} fontSize={11}>
        {lane.note}
      </text>
      {from !== null && to !== null && (
        <rect
          x={LABELS}
          y={y(to)}
          width={width - LABELS}
          height={y(from) - y(to)}
          fill={tone.fine}
          opacity={0.6}
        />
      )}
      {values.length === 0 && (
        <text x={LABELS + 8} y={top + 20} fill={tone.second}>
          no marks yet
        </text>
      )}
      {expected.map((e) => {
        const at = xOf(e.repetition, e.count);
        return (
          at !== undefined && (
            <line
              key={`${e.role} ${e.repetition} ${e.count}`}
              x1={at - 7}
              x2={at + 7}
              y1={y(e.value)}
              y2={y(e.value)}
              stroke={tone[e.role]}
              strokeWidth={3}
              opacity={0.35}
            >
              <title>charted</title>
            </line>
          )
        );
      })}
      {series.map((points, i) => (
        <Ribbon
          key={lane.roles[i] ?? 'couple'}
          points={points}
          y={y}
          colour={
            lane.roles[i] === 'leader'
              ? tone.leader
              : lane.roles[i] === 'follower'
                ? tone.follower
                : tone.ink
          }
          dashed={lane.roles[i] === 'follower'}
        />
      ))}
    </g>
  );
}
