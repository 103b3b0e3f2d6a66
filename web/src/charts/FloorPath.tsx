import type { Schemas } from '../api/client';
import { Footprint } from '../shapes/Footprint';
import { tone } from '../theme';
import type { Role } from '../words';

const SOLE = 0.25;

/** Where a chart's steps go, both roles, numbered by count. */
export function FloorPath({ view }: { view: Schemas['ChartView'] }) {
  const roles: Role[] = ['leader', 'follower'];
  const prints = roles.flatMap((role, r) =>
    (view.paths[r] ?? []).map((s) => {
      const a = (s.facing * Math.PI) / 180;
      const [x = 0, y = 0] = s.to;
      const half = SOLE / 2;
      const rows = view.chart[role];
      return {
        role,
        side: (s.foot === 'L' ? -1 : 1) as -1 | 1,
        angle: a,
        label: view.pattern.marks[rows[s.row]?.count ?? 0]?.label ?? '',
        at: [x, -y] as [number, number],
        heel: [x - half * Math.cos(a), -(y - half * Math.sin(a))] as [number, number],
        toe: [x + half * Math.cos(a), -(y + half * Math.sin(a))] as [number, number],
      };
    }),
  );
  // Prints that lie on one another share a place; their counts stand beside it in a row.
  const numbered = prints.map((p, i) => {
    const near = prints
      .slice(0, i)
      .filter(
        (q) =>
          q.role === p.role &&
          q.side === p.side &&
          Math.hypot(q.at[0] - p.at[0], q.at[1] - p.at[1]) < 0.13,
      );
    const out = 0.1 + 0.085 * near.length;
    // To the foot's outer side: left of a left foot. Y is drawn downward.
    return {
      ...p,
      text: [
        p.at[0] + p.side * out * Math.sin(p.angle),
        p.at[1] + p.side * out * Math.cos(p.angle),
      ] as const,
    };
  });
  const xs = prints.map((p) => p.at[0]);
  const ys = prints.map((p) => p.at[1]);
  const pad = 0.42;
  const left = Math.min(...xs) - pad;
  const top = Math.min(...ys) - pad;
  const width = Math.max(...xs) + pad - left;
  const height = Math.max(...ys) + pad - top;
  return (
    <svg
      viewBox={`${left} ${top} ${width} ${height}`}
      role="img"
      aria-label={`Floor path of ${view.chart.name}`}
      style={{ width: '100%', maxHeight: 230 }}
    >
      {view.chart.slotted && (
        <rect x={left} y={-0.15} width={width} height={0.3} fill={tone.fine} opacity={0.5} />
      )}
      {numbered.map((p, i) => (
        <g key={i}>
          <Footprint {...p} filled={false} />
          <text
            x={p.text[0]}
            y={p.text[1]}
            fontSize={0.085}
            dy={0.03}
            textAnchor="middle"
            fill={tone.ink}
          >
            {p.label}
          </text>
        </g>
      ))}
    </svg>
  );
}
