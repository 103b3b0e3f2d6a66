import { tone } from '../theme';
import type { Role } from '../words';

/** Square for the leader, circle for the follower, both for the couple; hollow when `hollow`. */
export function RoleMark({
  role,
  hollow = false,
}: {
  role: Role | null | undefined;
  hollow?: boolean;
}) {
  const square = (x: number) => (
    <rect
      x={x}
      y={2.5}
      width={9}
      height={9}
      fill={hollow ? 'none' : tone.leader}
      stroke={tone.leader}
      strokeWidth={1.6}
    />
  );
  const circle = (x: number) => (
    <circle
      cx={x}
      cy={7}
      r={4.8}
      fill={hollow ? 'none' : tone.follower}
      stroke={tone.follower}
      strokeWidth={1.6}
    />
  );
  const name = role === 'leader' ? 'leader' : role === 'follower' ? 'follower' : 'couple';
  return (
    <svg width={role ? 14 : 27} height={14} role="img" aria-label={name} style={{ flex: 'none' }}>
      {role === 'leader' && square(2.5)}
      {role === 'follower' && circle(7)}
      {!role && (
        <>
          {square(1.5)}
          {circle(20)}
        </>
      )}
    </svg>
  );
}
