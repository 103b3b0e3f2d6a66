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
  height = 260,
}: {
  plan: Schemas['Routine'];
  report: Schemas['Report'];
  chosen: number | undefined;
  height?: number;
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
  return (
    <svg
      viewBox={`${-pad} ${-pad} ${long + 2 * pad} ${wide + 2 * pad}`}
      role="img"
      aria-label={`Floor of ${long} by ${wide} metres with the path of the routine`}
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
      {roles.map((role) => (
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
        return <Footprint key={i} heel={end(-1)} toe={end(1)} role={s.role} filled />;
      })}
      <text x={0.08} y={wide - 0.1} fontSize={0.26} fill={tone.second}>
        {long} × {wide} m, squares of 1 m
      </text>
    </svg>
  );
}
