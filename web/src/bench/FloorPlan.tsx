import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { FrameLimitDialog } from '../people/FrameLimitDialog';
import { Footprint } from '../shapes/Footprint';
import { tone } from '../theme';
import { withError, type Role } from '../words';
import { measuresAt, type Cell } from './cells';
import { Panel } from './Panel';

type Print = Schemas['Footprint'];

export const flip = ([x = 0, y = 0]: number[]): [number, number] => [x, -y];

/** Where a role's two feet are at a count: each foot's newest print up to it. */
export function standing(prints: Print[], role: Role, cell: Cell) {
  return (['L', 'R'] as const).flatMap((foot) => {
    const upTo = prints.filter(
      (p) =>
        p.role === role &&
        p.foot === foot &&
        p.repetition === cell.repetition &&
        p.count <= cell.count,
    );
    return upTo.at(-1) ?? [];
  });
}

/** The wedge of a body's facing. */
export function Wedge({ stance }: { stance: Schemas['StanceView'] }) {
  const { role } = stance;
  const at = flip(stance.centre);
  // Y is drawn downward, which turns the sense of angles.
  const yaw = (-(stance.facing ?? 0) * Math.PI) / 180;
  const tip = (a: number) =>
    `${at[0] + 0.42 * Math.cos(yaw + a)} ${at[1] + 0.42 * Math.sin(yaw + a)}`;
  const colour = role === 'leader' ? tone.leader : tone.follower;
  return (
    <g>
      {stance.facing != null && (
        <path d={`M${at[0]} ${at[1]}L${tip(-0.42)}L${tip(0.42)}Z`} fill={colour} opacity={0.2} />
      )}
      {role === 'leader' ? (
        <rect x={at[0] - 0.03} y={at[1] - 0.03} width={0.06} height={0.06} fill={colour} />
      ) : (
        <circle cx={at[0]} cy={at[1]} r={0.034} fill={colour} />
      )}
    </g>
  );
}

/** Both dancers from above, in metres, at the count in hand. */
export function FloorPlan({
  analysis,
  cell,
  chart,
  couple,
}: {
  analysis: Schemas['Analysis'];
  cell: Cell | undefined;
  chart: Schemas['Sketch'] | undefined;
  couple: Schemas['Couple'] | undefined;
}) {
  const [keeping, setKeeping] = useState(false);
  const floor = analysis.floor;
  if (!floor || !cell) {
    const stage = floor ? analysis.count_stage : analysis.floor_stage;
    return (
      <Panel title="Floor, from above">
        <Typography variant="body2" color="text.secondary">
          {stage.state === 'ready' ? 'Name the figure to see the feet by count.' : stage.what}
        </Typography>
      </Panel>
    );
  }
  const [length = 2, width = 1] = floor.size;
  const prints = analysis.footprints.filter((p) => p.repetition === cell.repetition);
  // The whole take's feet set the frame, so that it stands still from count to count.
  const all = analysis.footprints.flatMap((p) => [p.heel, p.toe]);
  const around = all.length
    ? all
    : [
        [-length / 2, -width / 2],
        [length / 2, width / 2],
      ];
  const xs = around.map((p) => p[0] ?? 0);
  const ys = around.map((p) => p[1] ?? 0);
  const pad = 0.14;
  const left = Math.min(...xs) - pad;
  const top = -Math.max(...ys) - pad - 0.12;
  const w = Math.max(...xs) + pad - left;
  const h = -Math.min(...ys) + pad - top;
  const roles: Role[] = ['leader', 'follower'];
  const feet = roles.map((r) => standing(prints, r, cell));
  const stances = analysis.stances.filter(
    (x) => x.repetition === cell.repetition && x.count === cell.count,
  );
  const at = (role: Role) => stances.find((x) => x.role === role);
  const gap = measuresAt(analysis, cell).find((m) => m.id === 'separation')?.reading;
  const [leader, follower] = [at('leader'), at('follower')];
  const a = leader ? flip(leader.centre) : null;
  const b = follower ? flip(follower.centre) : null;
  const label = gap?.seen === 'value' ? withError(gap, 'metres') : null;
  const limit = analysis.frame_limit;
  const found = limit?.seen === 'value' ? limit : undefined;
  const ruler = top + 0.13;
  return (
    <Panel
      title="Floor, from above"
      note={`repetition ${cell.repetition + 1} · count ${cell.label}`}
    >
      <svg
        viewBox={`${left} ${top} ${w} ${h}`}
        style={{ width: '100%', maxHeight: 150, display: 'block' }}
        role="img"
        aria-label={label ? `Feet from above; partners ${label} apart` : 'Feet from above'}
      >
        {chart?.draft.slotted && (
          <rect x={left} y={-0.15} width={w} height={0.3} fill={tone.fine} opacity={0.55} />
        )}
        <polygon
          points={floor.corners.map(([x = 0, y = 0]) => `${x},${-y}`).join(' ')}
          fill="none"
          stroke={tone.hairline}
          strokeWidth={1.5}
          vectorEffect="non-scaling-stroke"
        />
        {prints
          .filter((p) => p.arrives && p.count < cell.count)
          .map((p) => (
            <Footprint
              key={`${p.role}${p.count}`}
              heel={flip(p.heel)}
              toe={flip(p.toe)}
              role={p.role}
              filled={false}
              faint
            />
          ))}
        {stances.map((x) => (
          <Wedge key={x.role} stance={x} />
        ))}
        {feet.flat().map((p) => (
          <Footprint
            key={`${p.role}${p.foot}`}
            heel={flip(p.heel)}
            toe={flip(p.toe)}
            role={p.role}
            filled={p.weighted}
          />
        ))}
        {a && b && label && (
          <g stroke={tone.ink} strokeWidth={0.008}>
            <path
              d={`M${a[0]} ${ruler}H${b[0]}M${a[0]} ${ruler - 0.03}v.06M${b[0]} ${ruler - 0.03}v.06`}
              fill="none"
            />
            <text
              x={(a[0] + b[0]) / 2}
              y={ruler - 0.035}
              fontSize={0.1}
              fontWeight={700}
              textAnchor="middle"
              fill={tone.ink}
              stroke="none"
            >
              {label}
            </text>
          </g>
        )}
      </svg>
      {limit?.seen === 'not_visible' && (
        <Typography variant="body2" color="text.secondary">
          Their frame limit: {limit.why}
        </Typography>
      )}
      {couple && (found ?? gap?.seen === 'value') && (
        <Button size="small" onClick={() => setKeeping(true)}>
          {found
            ? `Keep ${withError(found, 'metres')} as their frame limit…`
            : 'Keep this distance as their frame limit…'}
        </Button>
      )}
      {couple && keeping && (
        <FrameLimitDialog
          couple={couple}
          found={found}
          measured={gap?.seen === 'value' ? gap : undefined}
          onClose={() => setKeeping(false)}
        />
      )}
    </Panel>
  );
}
