import type { Schemas } from '../api/client';
import { Footprint } from '../shapes/Footprint';
import { tone } from '../theme';
import { roles, type Role } from '../words';

type Trail = Schemas['Trail'];

/** A sole's length, metres. */
const SOLE = 0.25;
/** Prints of one foot nearer than this share a place; their numbers stand in a row beside it. */
const SAME_PLACE = 0.13;

const flip = ([x = 0, y = 0]: number[]): [number, number] => [x, -y];

/** Turned a quarter to the right, for figures that go farther up the page than along it. */
const quarter = ([x = 0, y = 0]: number[]): number[] => [y, -x];

function lying(trail: Trail): Trail {
  return {
    feet: trail.feet.map(quarter),
    body: quarter(trail.body),
    facing: trail.facing - 90,
    steps: trail.steps.map((s) => ({
      ...s,
      to: quarter(s.to),
      body: quarter(s.body),
      facing: s.facing - 90,
    })),
  };
}

function span(values: number[]) {
  return Math.max(...values) - Math.min(...values);
}

/** Pixels that the drawing has, at least. */
const WIDE = 440;
const HIGH = 300;

function sole(at: number[], facing: number) {
  const a = (facing * Math.PI) / 180;
  const [x = 0, y = 0] = at;
  const half = SOLE / 2;
  const to = (s: number) => flip([x + s * half * Math.cos(a), y + s * half * Math.sin(a)]);
  return { heel: to(-1), toe: to(1) };
}

interface Print {
  role: Role;
  foot: Schemas['Foot'];
  count: number;
  at: number[];
  facing: number;
  label: string;
}

/** Where a dancer stands after a count. */
function standing(trail: Trail, now: number) {
  const done = trail.steps.filter((s) => s.count <= now);
  const last = done.at(-1);
  const weighted = done.findLast((s) => s.weighted)?.foot;
  const feet = (['L', 'R'] as const).map((foot, i) => {
    const step = done.findLast((s) => s.foot === foot);
    return {
      foot,
      at: step?.to ?? trail.feet[i] ?? [0, 0],
      // A foot that stays turns with the body over it.
      facing: last?.facing ?? trail.facing,
      weighted: weighted === foot,
    };
  });
  return { feet, body: last?.body ?? trail.body, facing: last?.facing ?? trail.facing };
}

/** The wedge of a body's facing, with its role's mark at the centre. */
export function Wedge({ role, at, facing }: { role: Role; at: number[]; facing: number }) {
  const [x, y] = flip(at);
  const yaw = (-facing * Math.PI) / 180;
  const tip = (a: number) => `${x + 0.38 * Math.cos(yaw + a)} ${y + 0.38 * Math.sin(yaw + a)}`;
  const colour = tone[role];
  return (
    <g>
      <path d={`M${x} ${y}L${tip(-0.42)}L${tip(0.42)}Z`} fill={colour} opacity={0.24} />
      {role === 'leader' ? (
        <rect x={x - 0.032} y={y - 0.032} width={0.064} height={0.064} fill={colour} />
      ) : (
        <circle cx={x} cy={y} r={0.037} fill={colour} />
      )}
    </g>
  );
}

/** Steps from above: every print numbered by its count, both bodies where they are after `now`. */
export function Floor({
  name,
  pattern,
  trails: given,
  slotted,
  now,
}: {
  name: string;
  pattern: Schemas['CountPattern'];
  trails: (Trail | null | undefined)[];
  slotted: boolean;
  now: number;
}) {
  const feet = given.flatMap((t) => (t ? [...t.feet, ...t.steps.map((s) => s.to)] : []));
  const tall = span(feet.map((p) => p[1] ?? 0)) > 1.1 * span(feet.map((p) => p[0] ?? 0));
  const trails = given.map((t) => (t && tall ? lying(t) : t));
  // Numbers keep their size in pixels, whatever the figure's.
  const size = tall ? [1, 0] : [0, 1];
  const u = Math.max(
    (span(feet.map((p) => p[size[0] ?? 0] ?? 0)) + 0.9) / WIDE,
    (span(feet.map((p) => p[size[1] ?? 1] ?? 0)) + 0.9) / HIGH,
  );
  const prints: Print[] = roles.flatMap((role, r) =>
    (trails[r]?.steps ?? []).map((s) => ({
      role,
      foot: s.foot,
      count: s.count,
      at: s.to,
      facing: s.facing,
      label: pattern.marks[s.count]?.label ?? '',
    })),
  );
  const numbered = prints.map((p, i) => {
    const same = prints
      .slice(0, i)
      .filter(
        (q) =>
          q.role === p.role &&
          q.foot === p.foot &&
          Math.hypot((q.at[0] ?? 0) - (p.at[0] ?? 0), (q.at[1] ?? 0) - (p.at[1] ?? 0)) < SAME_PLACE,
      );
    const out = 0.055 + 9 * u + 12 * u * same.length;
    const a = (p.facing * Math.PI) / 180;
    // To the foot's outer side.
    const side = p.foot === 'L' ? 1 : -1;
    const [x = 0, y = 0] = p.at;
    return { ...p, text: flip([x - side * out * Math.sin(a), y + side * out * Math.cos(a)]) };
  });
  const bodies = roles.flatMap((role, r) => {
    const trail = trails[r];
    return trail ? [{ role, ...standing(trail, now) }] : [];
  });
  const places = [
    ...numbered.flatMap((p) => [flip(p.at), p.text]),
    ...trails.flatMap((t) => (t ? t.feet.map(flip) : [])),
  ];
  const xs = places.map((p) => p[0]);
  const ys = places.map((p) => p[1]);
  const pad = 0.3;
  const left = Math.min(...xs) - pad;
  const top = Math.min(...ys) - pad;
  const width = Math.max(...xs) + pad - left;
  const height = Math.max(...ys) + pad - top;
  if (bodies.length === 0) return null;
  return (
    <svg
      viewBox={`${left} ${top} ${width} ${height}`}
      role="img"
      aria-label={`Floor path of ${name}, ${now < 0 ? 'before the first count' : `count ${pattern.marks[now]?.label ?? ''}`}`}
      data-count={now}
      style={{ width: '100%', height: HIGH, display: 'block' }}
    >
      {slotted && (
        <rect
          x={tall ? -0.15 : left}
          y={tall ? top : -0.15}
          width={tall ? 0.3 : width}
          height={tall ? height : 0.3}
          fill={tone.fine}
          opacity={0.5}
        />
      )}
      {bodies.map((b) => (
        <Wedge key={b.role} role={b.role} at={b.body} facing={b.facing} />
      ))}
      {numbered.map((p) => (
        <g key={`${p.role}${p.count}`}>
          <Footprint {...sole(p.at, p.facing)} role={p.role} filled={false} faint={p.count > now} />
          <text
            x={p.text[0]}
            y={p.text[1]}
            fontSize={(p.count === now ? 17 : 12) * u}
            fontWeight={p.count === now ? 700 : 400}
            dy={4.5 * u}
            textAnchor="middle"
            fill={p.count === now ? tone.ink : tone.second}
          >
            {p.label}
          </text>
        </g>
      ))}
      {bodies.flatMap((b) =>
        b.feet.map((f) => (
          <Footprint
            key={`${b.role}${f.foot}`}
            {...sole(f.at, f.facing)}
            role={b.role}
            filled={f.weighted}
          />
        )),
      )}
    </svg>
  );
}
