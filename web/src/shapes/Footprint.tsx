import { tone } from '../theme';
import type { Role } from '../words';

/** A sole seen from above between heel and toe: filled when it carries weight, dashed for the follower. */
export function Footprint({
  heel,
  toe,
  role,
  filled,
  faint = false,
}: {
  heel: [number, number];
  toe: [number, number];
  role: Role;
  filled: boolean;
  faint?: boolean;
}) {
  const dx = toe[0] - heel[0];
  const dy = toe[1] - heel[1];
  const length = Math.hypot(dx, dy);
  const angle = (Math.atan2(dy, dx) * 180) / Math.PI;
  const colour = role === 'leader' ? tone.leader : tone.follower;
  // Drawn for a sole one unit long: narrow at the waist, wide at the ball.
  const sole =
    'M0 0 C0 -.12 .08 -.16 .2 -.15 C.35 -.13 .45 -.14 .6 -.19 C.8 -.24 1.02 -.17 1 .02 C.99 .16 .8 .2 .6 .16 C.45 .13 .35 .12 .2 .14 C.08 .15 0 .12 0 0Z';
  return (
    <path
      d={sole}
      transform={`translate(${heel[0]} ${heel[1]}) rotate(${angle}) scale(${length})`}
      fill={filled ? colour : 'none'}
      stroke={colour}
      strokeWidth={1.4}
      strokeDasharray={role === 'follower' ? '3 2' : undefined}
      vectorEffect="non-scaling-stroke"
      opacity={faint ? 0.35 : 1}
    />
  );
}
