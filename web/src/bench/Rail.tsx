import Box from '@mui/material/Box';
import type { Schemas } from '../api/client';
import { useWidth } from '../shapes/useWidth';
import { tone } from '../theme';
import { coupleWords, landmarkName } from '../charts/words';
import { quantity, roles, type Role } from '../words';
import { useLanes } from './state';
import type { Cell } from './cells';

const LABELS = 84;

/** Height of a lane with the room below it. */
const LANE = 32;
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
  wave,
  length,
  beats,
  tracks,
  width: picture,
  onPick,
  onSeek,
}: {
  analysis: Analysis;
  chart: Schemas['Sketch'] | undefined;
  at: number;
  cell: Cell | undefined;
  pins: { repetition: number; count: number; strong: boolean }[];
  /** How loud the clip is. */
  wave: Schemas['Waveform'] | null;
  /** Of the clip, microseconds. */
  length: number;
  /** Beats that were heard, microseconds. */
  beats: number[];
  /** Where the dancers were found, when that is to be seen. */
  tracks: Schemas['Pose'][];
  /** Of the picture, pixels. */
  width: number;
  onPick: (cell: Cell) => void;
  onSeek: (at: number) => void;
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
  // Before there are counts the whole clip lies under the rail, to find the music in it.
  const end =
    cells.find((c) => c.repetition === first + shown)?.at ??
    (cells.length ? count?.end : length) ??
    1;
  const span = Math.max(1, end - begin);
  const x = (t: number) => LABELS + 10 + ((t - begin) / span) * (width - LABELS - 20);
  const chosen = useLanes((l) => l.shown);
  const specs = analysis.lanes.filter((l) => chosen.includes(l.id));
  const laneTop = (i: number) => 84 + i * LANE;
  const found = tracks.length > 0;
  const height = laneTop(specs.length + (found ? 1 : 0)) + 4;
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
        {wave && <Wave wave={wave} from={begin} to={end} x={x} tall={cells.length === 0} />}
        {cells.length === 0 &&
          beats.map((b) => (
            <line key={b} x1={x(b)} x2={x(b)} y1={38} y2={70} stroke={tone.ink} opacity={0.5} />
          ))}
        {cells.length === 0 && length > 0 && (
          <rect
            data-testid="whole-clip"
            x={LABELS + 10}
            y={36}
            width={Math.max(0, width - LABELS - 20)}
            height={36}
            fill="transparent"
            cursor="pointer"
            onClick={(e) => {
              const left = e.currentTarget.getBoundingClientRect();
              onSeek(begin + ((e.clientX - left.left) / left.width) * span);
            }}
          />
        )}
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
          {cells.length === 0 && wave ? 'Music' : 'Steps'}
        </text>
        <text x={2} y={70} fill={tone.second} fontSize={11}>
          {cells.length === 0 && wave ? 'click to go there' : 'left foot above'}
        </text>
        {analysis.steps
          .filter((s) => s.repetition >= first && s.repetition < first + shown)
          .map((s) => {
            const here = x(s.arrived ?? s.found ?? s.charted);
            const y = (s.role === 'leader' ? 48 : 66) + (s.foot === 'L' ? -3 : 5);
            const marked = s.arrived != null;
            const found = !marked && s.found != null;
            const wrong = marked && s.outcome !== 'as_charted';
            const colour = s.role === 'leader' ? tone.leader : tone.follower;
            const look = {
              fill: marked || found ? colour : 'none',
              fillOpacity: found ? 0.4 : 1,
              stroke: wrong ? tone.caution : colour,
              strokeWidth: wrong ? 2.5 : 1.2,
              opacity: marked || found ? 1 : 0.55,
            };
            const says = found && <title>Found from the feet</title>;
            return s.role === 'leader' ? (
              <rect
                key={`l${s.repetition} ${s.count}`}
                x={here - 4}
                y={y - 4}
                width={8}
                height={8}
                {...look}
              >
                {says}
              </rect>
            ) : (
              <circle key={`f${s.repetition} ${s.count}`} cx={here} cy={y} r={4.3} {...look}>
                {says}
              </circle>
            );
          })}
        {specs.map((lane, i) => (
          <Lane
            key={lane.id}
            lane={lane}
            top={laneTop(i)}
            width={width}
            analysis={analysis}
            xOf={xOf}
          />
        ))}
        {found && (
          <WhoIsWho
            top={laneTop(specs.length)}
            width={width}
            tracks={tracks.filter((t) => t.at >= begin && t.at <= end)}
            picture={picture}
            x={x}
          />
        )}
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
        {(count || cells.length === 0) && at >= begin && at <= end && (
          <line
            x1={x(at)}
            x2={x(at)}
            // Below the words that stand where the counts will be.
            y1={cells.length === 0 ? 34 : 14}
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

/** The sound: under the counts, or by itself where there are none yet. */
function Wave({
  wave,
  from,
  to,
  x,
  tall,
}: {
  wave: Schemas['Waveform'];
  from: number;
  to: number;
  x: (t: number) => number;
  tall: boolean;
}) {
  const [middle, half] = tall ? [54, 16] : [26, 12];
  const begin = Math.max(0, Math.floor(from / wave.step));
  const levels = wave.levels.slice(begin, Math.ceil(to / wave.step) + 1);
  // As many points as can be told apart.
  const by = Math.max(1, Math.ceil(levels.length / 700));
  const points: [number, number][] = [];
  for (let i = 0; i < levels.length; i += by) {
    const loud = Math.max(...levels.slice(i, i + by)) / 255;
    points.push([x((begin + i) * wave.step), loud * half]);
  }
  if (points.length < 2) return null;
  const upper = points.map(([px, h], i) => `${i ? 'L' : 'M'}${px.toFixed(1)} ${middle - h}`);
  const lower = [...points].reverse().map(([px, h]) => `L${px.toFixed(1)} ${middle + h}`);
  return (
    <path
      data-testid="waveform"
      d={`${upper.join('')}${lower.join('')}Z`}
      fill={tone.second}
      opacity={0.22}
    />
  );
}

/** Further apart than this the dancer was lost in between, microseconds. */
const LOST = 300_000;

/** Where each dancer was found across the picture: who is who, and where the names were exchanged. */
function WhoIsWho({
  top,
  width,
  tracks,
  picture,
  x,
}: {
  top: number;
  width: number;
  tracks: Schemas['Pose'][];
  picture: number;
  x: (t: number) => number;
}) {
  // As much of the picture as they dance in.
  const places = tracks
    .map((t) => {
      const hips = [t.points.left_hip, t.points.right_hip].flatMap((p) => (p ? [p[0] ?? 0] : []));
      const across = hips.reduce((a, b) => a + b, 0) / hips.length / picture;
      return { role: t.role, at: t.at, across };
    })
    .filter((p) => Number.isFinite(p.across))
    .sort((a, b) => a.at - b.at);
  const low = Math.min(...places.map((p) => p.across));
  const span = Math.max(0.1, Math.max(...places.map((p) => p.across)) - low);
  const path = (role: Role) => {
    let last = -Infinity;
    return places
      .filter((p) => p.role === role)
      .map((p) => {
        const begin = p.at - last > LOST;
        last = p.at;
        const y = top + 3 + (28 * (p.across - low)) / span;
        return `${begin ? 'M' : 'L'}${x(p.at).toFixed(1)} ${y.toFixed(1)}`;
      })
      .join('');
  };
  return (
    <g data-testid="who-is-who">
      <line x1={0} x2={width} y1={top - 2} y2={top - 2} stroke={tone.hairline} />
      <text x={2} y={top + 12} fontWeight={700} fill={tone.ink}>
        Who is who
      </text>
      <text x={2} y={top + 25} fill={tone.second} fontSize={11}>
        left side above
      </text>
      {roles.map((role) => (
        <path
          key={role}
          d={path(role)}
          fill="none"
          stroke={tone[role]}
          strokeWidth={2}
          strokeDasharray={role === 'follower' ? '5 3' : undefined}
        />
      ))}
    </g>
  );
}

function Lane({
  lane,
  top,
  width,
  analysis,
  xOf,
}: {
  lane: Schemas['Lane'];
  top: number;
  width: number;
  analysis: Analysis;
  xOf: (repetition: number, count: number) => number | undefined;
}) {
  const height = LANE - 4;
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
  const expected = lane.charted.filter((e) => xOf(e.repetition, e.count) !== undefined);
  const [from, to] = lane.band?.fine ?? [null, null];
  const edges = [from, to, ...expected.map((e) => e.value)].filter((b) => b != null);
  const low = Math.min(...values, ...edges);
  const high = Math.max(...values, ...edges);
  const middle = values.length + edges.length ? (low + high) / 2 : 0;
  const half = Math.max(lane.least, 0.58 * (high - low));
  const y = (v: number) => top + 2 + ((middle + half - v) / (2 * half)) * (height - 4);
  return (
    <g>
      <line x1={0} x2={width} y1={top - 2} y2={top - 2} stroke={tone.hairline} />
      <text x={2} y={top + 12} fontWeight={700} fill={tone.ink}>
        {lane.name}
      </text>
      <text x={2} y={top + 25} fill={tone.second} fontSize={11}>
        {lane.note}
      </text>
      {lane.band && (
        <rect
          x={LABELS}
          y={to == null ? top : y(to)}
          width={width - LABELS}
          height={(from == null ? top + height : y(from)) - (to == null ? top : y(to))}
          fill={tone.fine}
          opacity={0.6}
        />
      )}
      {/* Outside the band where there is room, so that a narrow one's do not lie on each other. */}
      {[from, to].map(
        (edge, i) =>
          edge != null && (
            <text
              key={i}
              x={width - 3}
              y={i === 0 ? Math.min(top + height - 1, y(edge) + 9) : Math.max(top + 9, y(edge) - 2)}
              textAnchor="end"
              fontSize={10}
              fill={tone.second}
            >
              {quantity(edge, lane.unit)}
            </text>
          ),
      )}
      {lane.empty && (
        <text x={LABELS + 8} y={top + 18} fill={tone.second}>
          {lane.empty}
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
