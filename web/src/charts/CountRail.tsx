import Box from '@mui/material/Box';
import type { Schemas } from '../api/client';
import { useWidth } from '../shapes/useWidth';
import { tone } from '../theme';
import { roles } from '../words';

const LABELS = 84;
const TURN = 78;
const LANE = 34;
const GAP = TURN + LANE + 8;
const HEIGHT = GAP + LANE + 4;

/** A figure in musical time: counts, each role's weight changes, turns added up and the distance. */
export function CountRail({
  sketch,
  scaled,
  now,
  onPick,
}: {
  sketch: Schemas['Sketch'];
  /** In somebody's own lengths: for one dancer alone there is no distance. */
  scaled?: Schemas['Scaled'];
  now: number;
  onPick: (count: number) => void;
}) {
  const [box, width] = useWidth();
  const { pattern, rows, beats } = sketch;
  const { distances } = scaled ?? sketch;
  const first = Math.min(0, ...beats);
  const span = Math.max(1, pattern.beats - first);
  const x = (beat: number) => LABELS + 18 + ((beat - first) / span) * (width - LABELS - 24);
  const here = beats[now];
  const bar = sketch.draft.meter ?? 4;

  // Turns added up, as a line that rises and falls on the counts.
  const turns = roles.map((_, r) => {
    let sum = 0;
    return (rows[r] ?? []).map((row) => {
      sum += row.turn;
      return { beat: beats[row.count] ?? 0, sum };
    });
  });
  const most = Math.max(4, ...turns.flat().map((p) => Math.abs(p.sum)));
  const turnY = (eighths: number) => TURN + LANE / 2 - (eighths / most) * (LANE / 2 - 3);
  const turnLine = (points: { beat: number; sum: number }[]) =>
    `M${x(first) - 12} ${turnY(0)}` +
    points.map((p) => `H${x(p.beat)}V${turnY(p.sum)}`).join('') +
    `H${width - 4}`;

  const alone = distances.length === 0;
  const near = Math.min(...distances);
  const far = Math.max(...distances, near + 0.2);
  const gapY = (d: number) => GAP + 3 + ((far - d) / (far - near)) * (LANE - 8);

  return (
    <Box ref={box} sx={{ width: '100%', overflow: 'hidden' }}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="Count rail; move along it with the arrow keys"
        style={{ display: 'block', fontSize: 12 }}
      >
        {here !== undefined && (
          <rect
            x={x(here) - 12}
            width={24}
            y={0}
            height={HEIGHT}
            fill={tone.caution}
            opacity={0.16}
          />
        )}
        {Array.from({ length: Math.ceil(pattern.beats / bar) }, (_, b) => (
          <g key={b}>
            <line
              x1={x(b * bar) - 14}
              x2={x(b * bar) - 14}
              y1={2}
              y2={HEIGHT}
              stroke={tone.hairline}
            />
            <text x={x(b * bar) - 10} y={10} fill={tone.second} fontSize={11}>
              bar {b + 1}
            </text>
          </g>
        ))}
        {pattern.marks.map((m, i) => (
          <g key={i}>
            <text
              x={x(beats[i] ?? 0)}
              y={28}
              textAnchor="middle"
              fontWeight={m.between ? 400 : 700}
              fontSize={m.between ? 12 : 14}
              fill={m.between || m.rest ? tone.second : tone.ink}
            >
              {m.label}
            </text>
            <rect
              data-count={i}
              x={x(beats[i] ?? 0) - 12}
              y={12}
              width={24}
              height={HEIGHT - 12}
              fill="transparent"
              cursor="pointer"
              onClick={() => onPick(i)}
            />
          </g>
        ))}
        <text x={2} y={50} fontWeight={700} fill={tone.ink}>
          Steps
        </text>
        <text x={2} y={64} fill={tone.second} fontSize={11}>
          left foot above
        </text>
        {roles.flatMap((role, r) =>
          (sketch.trails[r]?.steps ?? []).map((step) => {
            const cx = x(beats[step.count] ?? 0);
            const y = (role === 'leader' ? 43 : 61) + (step.foot === 'L' ? -3 : 5);
            const look = {
              fill: step.weighted ? tone[role] : 'none',
              stroke: tone[role],
              strokeWidth: 1.2,
              pointerEvents: 'none' as const,
            };
            return role === 'leader' ? (
              <rect key={`l${step.count}`} x={cx - 4} y={y - 4} width={8} height={8} {...look} />
            ) : (
              <circle key={`f${step.count}`} cx={cx} cy={y} r={4.3} {...look} />
            );
          }),
        )}
        <line x1={0} x2={width} y1={TURN - 3} y2={TURN - 3} stroke={tone.hairline} />
        <text x={2} y={TURN + 12} fontWeight={700} fill={tone.ink}>
          Turn
        </text>
        <text x={2} y={TURN + 26} fill={tone.second} fontSize={11}>
          left above
        </text>
        <line x1={LABELS} x2={width} y1={turnY(0)} y2={turnY(0)} stroke={tone.hairline} />
        {roles.map((role, r) => (
          <path
            key={role}
            d={turnLine(turns[r] ?? [])}
            fill="none"
            stroke={tone[role]}
            strokeWidth={1.8}
            strokeDasharray={role === 'follower' ? '5 3' : undefined}
            pointerEvents="none"
          />
        ))}
        <line x1={0} x2={width} y1={GAP - 3} y2={GAP - 3} stroke={tone.hairline} />
        <text x={2} y={GAP + 12} fontWeight={700} fill={tone.ink}>
          Distance
        </text>
        <text x={2} y={GAP + 26} fill={tone.second} fontSize={11}>
          {alone ? 'alone' : `${Math.round(100 * near)}–${Math.round(100 * far)} cm`}
        </text>
        <path
          d={(alone ? [] : beats)
            .map((beat, i) => `${i ? 'L' : 'M'}${x(beat)} ${gapY(distances[i] ?? near)}`)
            .join('')}
          fill="none"
          stroke={tone.ink}
          strokeWidth={1.6}
          pointerEvents="none"
        />
      </svg>
    </Box>
  );
}
