import Box from '@mui/material/Box';
import type { Schemas } from '../api/client';
import { useWidth } from '../shapes/useWidth';
import { tone } from '../theme';
import { roles } from '../words';

const LABELS = 84;
const BLOCKS = 20;
const TURN = 58;
const ENERGY = 104;
const HEIGHT = 136;

const strength: Record<Schemas['Effort'], number> = { calm: 8, steady: 16, lively: 26 };

/** The routine over its music: phrases and bars, figures, turns added up, effort. */
export function Lanes({
  plan,
  report,
  chosen,
  onPick,
}: {
  plan: Schemas['Routine'];
  report: Schemas['Report'];
  chosen: number | undefined;
  onPick: (item: number) => void;
}) {
  const [box, width] = useWidth();
  const phrase = plan.meter * plan.phrase;
  const beats = Math.max(phrase, Math.ceil(report.beats / phrase) * phrase);
  const x = (beat: number) => LABELS + (beat / beats) * (width - LABELS - 6);
  const most = Math.max(8, ...report.lane.flatMap((p) => p.turns.map(Math.abs)));
  const y = (eighths: number) => TURN + 20 - (eighths / most) * 18;
  const bars = Math.round(beats / plan.meter);
  // Bar numbers where there is room for them.
  const every = [1, 2, 4, 8, 16, 32].find((n) => (n * (width - LABELS)) / bars > 22) ?? 64;
  return (
    <Box ref={box} sx={{ width: '100%', overflow: 'hidden' }}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Music of ${report.beats} beats with turns and effort`}
        style={{ display: 'block', fontSize: 11 }}
      >
        <text x={2} y={13} fill={tone.ink} fontWeight={700} fontSize={12}>
          Bars
        </text>
        {Array.from({ length: bars + 1 }, (_, b) => (
          <g key={b}>
            <line
              x1={x(b * plan.meter)}
              x2={x(b * plan.meter)}
              y1={b % plan.phrase === 0 ? 2 : 14}
              y2={b % plan.phrase === 0 ? HEIGHT : BLOCKS + 30}
              stroke={b % plan.phrase === 0 ? tone.ink : tone.hairline}
              opacity={b % plan.phrase === 0 ? 0.55 : 1}
            />
            {b < bars && b % every === 0 && (
              <text x={x(b * plan.meter) + 3} y={12} fill={tone.second}>
                {b + 1}
              </text>
            )}
          </g>
        ))}
        <text x={2} y={BLOCKS + 18} fill={tone.ink} fontWeight={700} fontSize={12}>
          Figures
        </text>
        {report.items.map((p, i) => {
          const left = x(p.from) + 1;
          const w = Math.max(2, x(p.from + p.beats) - left - 1);
          const refused = i > 0 && report.joints[i - 1]?.fit !== 'fits';
          return (
            <g key={i} cursor="pointer" onClick={() => onPick(i)} data-block={i}>
              <rect
                x={left}
                y={BLOCKS}
                width={w}
                height={28}
                rx={4}
                fill={i === chosen ? tone.fine : tone.paper}
                stroke={i === chosen ? tone.ink : tone.second}
                strokeWidth={i === chosen ? 1.6 : 0.8}
              />
              <clipPath id={`block${i}`}>
                <rect x={left} y={BLOCKS} width={w - 2} height={28} />
              </clipPath>
              <text
                x={left + 5}
                y={BLOCKS + 18}
                fill={tone.ink}
                clipPath={`url(#block${i})`}
                pointerEvents="none"
              >
                {p.name}
              </text>
              {refused && (
                <path d={`M${left - 6} ${BLOCKS - 3}h10l-5 8z`} fill={tone.caution}>
                  <title>does not join</title>
                </path>
              )}
            </g>
          );
        })}
        <text x={2} y={TURN + 17} fill={tone.ink} fontWeight={700} fontSize={12}>
          Turns
        </text>
        <text x={2} y={TURN + 31} fill={tone.second}>
          left above
        </text>
        <line x1={LABELS} x2={width} y1={y(0)} y2={y(0)} stroke={tone.hairline} />
        {roles.map((role, r) => (
          <path
            key={role}
            d={`M${x(0)} ${y(0)}${report.lane
              .map((p) => `H${x(p.beat)}V${y(p.turns[r] ?? 0)}`)
              .join('')}H${x(report.beats)}`}
            fill="none"
            stroke={tone[role]}
            strokeWidth={1.6}
            strokeDasharray={role === 'follower' ? '5 3' : undefined}
          />
        ))}
        <text x={2} y={ENERGY + 18} fill={tone.ink} fontWeight={700} fontSize={12}>
          Effort
        </text>
        {report.items.map((p, i) => (
          <rect
            key={i}
            x={x(p.from) + 1}
            width={Math.max(1, x(p.from + p.beats) - x(p.from) - 2)}
            y={ENERGY + 28 - strength[p.effort]}
            height={strength[p.effort]}
            fill={p.effort === 'lively' ? tone.caution : tone.second}
            opacity={p.effort === 'calm' ? 0.35 : 0.6}
          >
            <title>
              {p.name}: {p.effort}
            </title>
          </rect>
        ))}
      </svg>
    </Box>
  );
}
