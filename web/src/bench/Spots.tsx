import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
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
export function Spots({
  take,
  figure,
  corners,
  wanted,
}: {
  take: string;
  /** The figure danced, whose measures can be chosen. */
  figure: string | null;
  /** Of the reference on the floor, metres. */
  corners: number[][];
  /** The measure that is asked for at first. */
  wanted: string | null;
}) {
  const views = useViews(take, figure);
  const theme = useTheme();
  const [picked, setPicked] = useState(wanted);
  if (views.isPending) return <LinearProgress aria-label="Trying places for the phone" />;
  if (!views.data) return <Failure error={views.error} />;
  const { numbers, now, phones, spots } = views.data;
  const at0 = numbers.findIndex((n) => n.id === picked);
  const chosen = Math.max(0, at0);
  const number = numbers[chosen];
  if (!number) return null;
  // Asked for, and told by no place from marks at the counts.
  const never = picked != null && at0 < 0;
  const told = (sigma: number) => `± ${quantity(sigma, number.unit)}`;
  const alone = best(spots, (s) => s.alone[chosen]);
  const beside = best(spots, (s) => s.beside[chosen]);
  const present = now[chosen];
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
      {never && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          What you asked for is not told by marks at the counts from any place: it needs the moments
          between them. Film so that both dancers stay in the picture and have them found.
        </Typography>
      )}
      <Autocomplete
        size="small"
        disableClearable
        options={numbers}
        value={number}
        onChange={(_, n) => setPicked(n.id)}
        getOptionLabel={(n) => n.name}
        getOptionKey={(n) => n.id}
        isOptionEqualToValue={(a, b) => a.id === b.id}
        renderInput={(props) => <TextField {...props} label="Where to put a phone to tell" />}
      />
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
        <polygon
          points={corners.map((c) => at(c).join(',')).join(' ')}
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
        Expected for this couple{figure ? ' in this figure' : ''}, marked by hand; one phone 4.6 m
        away and at breast height.
      </Typography>
    </Box>
  );
}
