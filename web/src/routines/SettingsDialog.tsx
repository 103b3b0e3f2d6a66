import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Box from '@mui/material/Box';
import { useState } from 'react';
import { useCouples } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import type { Plan } from './desk';

const two = { display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1.5 } as const;

/** The music's measures, the floor and whom the routine is for. */
export function SettingsDialog({
  plan,
  onPlan,
  onClose,
}: {
  plan: Plan;
  onPlan: (part: Partial<Plan>) => void;
  onClose: () => void;
}) {
  const [p, setP] = useState(plan);
  const couples = useCouples().data ?? [];
  const number = (
    label: string,
    value: number | undefined,
    [min, max]: [number, number],
    set: (n: number) => Partial<Plan>,
    step: number | 'any' = 'any',
  ) => (
    <TextField
      required
      type="number"
      label={label}
      defaultValue={value}
      onChange={(e) => setP((was) => ({ ...was, ...set(Number(e.target.value)) }))}
      slotProps={{ htmlInput: { min, max, step } }}
    />
  );
  const [long = 10, wide = 8] = p.floor;
  const [x = 5, y = 4] = p.start;
  const [leader = 1.75, follower = 1.68] = p.heights;
  const couple = couples.find((c) => c.leader_height === leader && c.follower_height === follower);
  return (
    <FormDialog
      wide
      title="Music and floor"
      error={null}
      onSubmit={() => {
        onPlan(p);
        onClose();
      }}
      onClose={onClose}
    >
      <Box sx={two}>
        {number('Beats a minute', plan.tempo, [40, 300], (tempo) => ({ tempo }))}
        {number('Beats of a bar', plan.meter, [2, 6], (meter) => ({ meter }), 1)}
        {number('Bars of a phrase', plan.phrase, [1, 32], (phrase) => ({ phrase }), 1)}
        {number('Direction at the start, degrees', plan.facing, [-360, 360], (facing) => ({
          facing,
        }))}
        {number('Floor’s length, m', plan.floor[0], [2, 60], (n) => ({ floor: [n, wide] }))}
        {number('Floor’s width, m', plan.floor[1], [2, 60], (n) => ({ floor: [long, n] }))}
        {number('Start along the length, m', plan.start[0], [0, long], (n) => ({ start: [n, y] }))}
        {number('Start across, m', plan.start[1], [0, wide], (n) => ({ start: [x, n] }))}
      </Box>
      <TextField
        select
        label="For the couple"
        value={couple?.id ?? ''}
        onChange={(e) => {
          const c = couples.find((k) => k.id === e.target.value);
          if (c) setP({ ...p, heights: [c.leader_height, c.follower_height] });
        }}
        helperText={`Heights ${Math.round(leader * 100)} and ${Math.round(follower * 100)} cm`}
      >
        {couples.map((c) => (
          <MenuItem key={c.id} value={c.id}>
            {c.leader} and {c.follower}
          </MenuItem>
        ))}
      </TextField>
    </FormDialog>
  );
}
