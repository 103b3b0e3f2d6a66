import type { Schemas } from '../api/client';
import { tone } from '../theme';
import type { Role } from '../words';

export interface GaugeValue {
  role: Role | null;
  value: Schemas['Estimate'];
}

const WIDTH = 96;
const HEIGHT = 16;

/** The fine band as a stripe, each value as its role's mark with a line of ± one σ. */
export function BandGauge({
  band,
  values,
  label,
}: {
  band: Schemas['Band'];
  values: GaugeValue[];
  label: string;
}) {
  const edges = [...band.fine, ...band.clear].filter((e): e is number => e != null);
  const all = [...edges, ...values.map((v) => v.value.value)];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const pad = 0.18 * (high - low || 1);
  const x = (v: number) => ((v - low + pad) / (high - low + 2 * pad)) * WIDTH;
  const from = band.fine[0] == null ? 0 : x(band.fine[0]);
  const to = band.fine[1] == null ? WIDTH : x(band.fine[1]);
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label={label}>
      <rect y={5} width={WIDTH} height={6} fill={tone.hairline} opacity={0.55} />
      <rect x={from} y={5} width={Math.max(0, to - from)} height={6} fill={tone.fine} />
      {values.map(({ role, value }) => {
        const at = x(value.value);
        const fill =
          role === 'follower' ? tone.follower : role === 'leader' ? tone.leader : tone.ink;
        const half = Math.min(WIDTH, Math.abs(x(value.value + value.sigma) - at));
        return (
          <g key={role ?? 'couple'} stroke={fill} fill={fill}>
            <line x1={at - half} x2={at + half} y1={8} y2={8} strokeWidth={2} />
            {role === 'follower' ? (
              <circle cx={at} cy={8} r={4} stroke="none" />
            ) : role === 'leader' ? (
              <rect x={at - 4} y={4} width={8} height={8} stroke="none" />
            ) : (
              <path d={`M${at} 3l5 5l-5 5l-5-5z`} stroke="none" />
            )}
          </g>
        );
      })}
    </svg>
  );
}
