import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useViews } from '../api/hooks';
import { Failure } from '../shell/State';
import { quantity } from '../words';

type Spot = Schemas['Spot'];

/** Metres of floor drawn to each side of the reference. */
const REACH = 5.4;

/** Where on the floor a place is, as one says it standing where the first phone stands. */
function whereabouts([x = 0, y = 0]: number[]) {
  const deep = y < -1.5 ? 'in front' : y > 1.5 ? 'behind the couple' : '';
  const side = x > 1.5 ? 'to the right' : x < -1.5 ? 'to the left' : '';
  const apart = `${Math.hypot(x, y).toFixed(1)} m away`;
  return [[deep, side].filter(Boolean).join(' '), apart].filter(Boolean).join(', ');
}

const best = (spots: Spot[], of: (s: Spot) => number | null | undefined) =>
  spots.reduce<{ spot: Spot; sigma: number } | null>((a, spot) => {
    const sigma = of(spot);
    return sigma != null && (!a || sigma < a.sigma) ? { spot, sigma } : a;
  }, null);

/** Where to put the phone, or a second one, so that a number can be told. */
export function Spots({ take, size }: { take: string; size: number[] }) {
  const views = useViews(take);
  const theme = useTheme();
  const [chosen, setChosen] = useState(0);
  if (views.isPending) return <LinearProgress aria-label="Trying places for the phone" />;
  if (!views.data) return <Failure error={views.error} />;
  const { numbers, now, phones, spots } = views.data;
  const number = numbers[chosen];
  if (!number) return null;
  const told = (sigma: number) => `± ${quantity(sigma, number.unit)}`;
  const alone = best(spots, (s) => s.alone[chosen]);
  const beside = best(spots, (s) => s.beside[chosen]);
  const present = now[chosen];
  const [length = 2, width = 1] = size;
  // The plan is seen from above: the first phone's side is at the bottom.
  const at = ([x = 0, y = 0]: number[]): [number, number] => [x, -y];
  const dot = (s: Spot) => {
    const sigma = (phones.length > 0 ? s.beside : s.alone)[chosen];
    const [x, y] = at(s.place);
    const most = (phones.length > 0 ? beside : alone)?.spot === s;
    return (
      <g key={`${x} ${y}`}>
        <circle
          cx={x}
          cy={y}
          r={most ? 0.42 : 0.2}
          fill={most ? theme.palette.primary.main : 'none'}
          stroke={sigma == null ? theme.palette.divider : theme.palette.primary.main}
          strokeWidth={0.06}
          strokeDasharray={sigma == null ? '0.12 0.1' : undefined}
        />
        <text
          x={x}
          y={y + (most ? 0.95 : 0.75) * (y > 3.4 ? -1 : 1) + (y > 3.4 ? 0.25 : 0)}
          fontSize={0.5}
          textAnchor="middle"
          fill={theme.palette.text.secondary}
        >
          {sigma == null ? '–' : quantity(sigma, number.unit)}
        </text>
      </g>
    );
  };
  return (
    <Box sx={{ mt: 1.5 }}>
      <TextField
        select
        fullWidth
        size="small"
        label="Where to put a phone to tell"
        value={chosen}
        onChange={(e) => setChosen(Number(e.target.value))}
      >
        {numbers.map((n, i) => (
          <MenuItem key={n.id} value={i}>
            {n.name}
          </MenuItem>
        ))}
      </TextField>
      <Typography variant="body2" sx={{ mt: 1 }}>
        {phones.length > 0 &&
          (present == null
            ? 'Not visible from where the film was taken. '
            : `From where the film was taken: ${told(present)}. `)}
        {alone
          ? `One phone tells it best ${whereabouts(alone.spot.place)}: ${told(alone.sigma)}. `
          : 'One phone alone cannot tell it. '}
        {beside &&
          `A second one beside the first does best ${whereabouts(beside.spot.place)}: ${told(beside.sigma)}.`}
      </Typography>
      <Box
        component="svg"
        viewBox={`${-REACH} ${-REACH} ${2 * REACH} ${2 * REACH}`}
        role="img"
        aria-label={`Places for a phone around the couple, with what each would tell of: ${number.name}`}
        sx={{ display: 'block', width: '100%', maxHeight: 260, mt: 0.5 }}
      >
        <rect
          x={-length / 2}
          y={-width / 2}
          width={length}
          height={width}
          fill="none"
          stroke={theme.palette.text.secondary}
          strokeWidth={0.05}
        />
        <rect x={-0.63} y={-0.15} width={0.3} height={0.3} fill={theme.palette.leader.main} />
        <circle cx={0.48} cy={0} r={0.17} fill={theme.palette.follower.main} />
        {spots.map(dot)}
        {phones.map((p, i) => {
          const [x, y] = at(p);
          return (
            <g key={i}>
              <rect
                x={x - 0.16}
                y={y - 0.3}
                width={0.32}
                height={0.6}
                rx={0.08}
                fill={theme.palette.text.primary}
              />
              <text
                x={x + 0.3}
                y={y + 0.17}
                fontSize={0.5}
                fill={theme.palette.text.primary}
              >{`phone ${i + 1}`}</text>
            </g>
          );
        })}
      </Box>
      <Typography variant="caption" color="text.secondary">
        Expected for this couple, marked by hand; one phone 4.6 m away and at breast height.
      </Typography>
    </Box>
  );
}
