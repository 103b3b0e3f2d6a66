import type { Schemas } from '../api/client';
import { Footprint } from '../shapes/Footprint';
import { tone } from '../theme';
import { roles } from '../words';

const SOLE = 0.25;

/** The whole routine in the room; the chosen figure's steps as numbered prints. */
export function RoomPlan({
  plan,
  report,
  chosen,
  height = 230,
  near = false,
}: {
  plan: Schemas['Routine'];
  report: Schemas['Report'];
  chosen: number | undefined;
  height?: number;
  /** Only around the chosen figure, its prints numbered. */
  near?: boolean;
}) {
  const [long = 10, wide = 8] = plan.floor;
  const pad = 0.35;
  const y = (v: number) => wide - v;
  const steps = (role: Schemas['Role']) => report.steps.filter((s) => s.role === role);
  const line = (points: number[][]) =>
    points.map(([px = 0, py = 0], i) => `${i ? 'L' : 'M'}${px} ${y(py)}`).join('');
  // Between the feet of two steps is about where the body goes.
  const way = (role: Schemas['Role']) => {
    const all = steps(role);
    return all
      .slice(1)
      .map((s, i) => [0, 1].map((k) => ((s.at[k] ?? 0) + (all[i]?.at[k] ?? 0)) / 2));
  };
  const shown = report.steps.filter((s) => s.item === chosen);
  const around = near
    ? shown.map((s) => [s.at[0] ?? 0, y(s.at[1] ?? 0)])
    : [
        [0, 0],
        [long, wide],
      ];
  const margin = near ? 0.45 : pad;
  const xs = around.map((p) => p[0] ?? 0);
  const ys = around.map((p) => p[1] ?? 0);
  const left = Math.min(...xs) - margin;
  const top = Math.min(...ys) - margin;
  return (
    <svg
      viewBox={`${left} ${top} ${Math.max(...xs) + margin - left} ${Math.max(...ys) + margin - top}`}
      role="img"
      aria-label={
        near
          ? 'Steps of the chosen figure'
          : `Floor of ${long} by ${wide} metres with the path of the routine`
      }
      style={{ width: '100%', maxHeight: height, display: 'block' }}
    >
      <rect width={long} height={wide} fill={tone.paper} stroke={tone.ink} strokeWidth={0.04} />
      {Array.from({ length: Math.max(0, Math.ceil(long) - 1) }, (_, i) => (
        <line
          key={`v${i}`}
          x1={i + 1}
          x2={i + 1}
          y1={0}
          y2={wide}
          stroke={tone.hairline}
          strokeWidth={0.015}
        />
      ))}
      {Array.from({ length: Math.max(0, Math.ceil(wide) - 1) }, (_, i) => (
        <line
          key={`h${i}`}
          y1={i + 1}
          y2={i + 1}
          x1={0}
          x2={long}
          stroke={tone.hairline}
          strokeWidth={0.015}
        />
      ))}
      {!near &&
        roles.map((role) => (
          <path
            key={role}
            d={line(way(role))}
            fill="none"
            stroke={tone[role]}
            strokeWidth={0.045}
            strokeLinejoin="round"
            strokeDasharray={role === 'follower' ? '.16 .1' : undefined}
            opacity={0.75}
          />
        ))}
      {shown.map((s, i) => {
        const a = (s.facing * Math.PI) / 180;
        const [px = 0, py = 0] = s.at;
        const end = (k: number): [number, number] => [
          px + (k * SOLE * Math.cos(a)) / 2,
          y(py + (k * SOLE * Math.sin(a)) / 2),
        ];
        const out = s.foot === 'L' ? 0.12 : -0.12;
        return (
          <g key={i}>
            <Footprint heel={end(-1)} toe={end(1)} role={s.role} filled={!near} />
            {near && (
              <text
                x={px - out * Math.sin(a)}
                y={y(py + out * Math.cos(a)) + 0.03}
                fontSize={0.085}
                textAnchor="middle"
                fill={tone.ink}
              >
                {s.count}
              </text>
            )}
          </g>
        );
      })}
      {!near && (
        <text x={0.08} y={wide - 0.1} fontSize={0.26} fill={tone.second}>
          {long} × {wide} m, squares of 1 m
        </text>
      )}
    </svg>
  );
}
