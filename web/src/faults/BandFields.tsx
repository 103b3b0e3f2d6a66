import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import type { Schemas } from '../api/client';
import { unitScale, type Unit } from '../words';

type Band = Schemas['Band'];

/** The four edges of a band, in the unit people use; an empty one is open. */
export function BandFields({
  band,
  unit,
  onChange,
}: {
  band: Band;
  unit: Unit;
  onChange: (band: Band) => void;
}) {
  const { times, sign } = unitScale(unit);
  const edge = (zone: 'fine' | 'clear', side: 0 | 1, label: string) => {
    const value = band[zone][side];
    return (
      <TextField
        label={sign ? `${label}, ${sign.trim()}` : label}
        type="number"
        value={value == null ? '' : Number((value * times).toFixed(2))}
        slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
        onChange={(e) => {
          const to: Band = { fine: [...band.fine], clear: [...band.clear] };
          to[zone][side] = e.target.value === '' ? null : Number(e.target.value) / times;
          onChange(to);
        }}
      />
    );
  };
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(4, 1fr)', gap: 1 }}>
      {edge('clear', 0, 'Clear below')}
      {edge('fine', 0, 'Fine from')}
      {edge('fine', 1, 'Fine to')}
      {edge('clear', 1, 'Clear above')}
    </Box>
  );
}
