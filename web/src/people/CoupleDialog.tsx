import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCreateCouple } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';

/** Two people, and who leads. */
export function CoupleDialog({
  people,
  onClose,
}: {
  people: Schemas['Person'][];
  onClose: () => void;
}) {
  const [leader, setLeader] = useState('');
  const [follower, setFollower] = useState('');
  const create = useCreateCouple();
  const submit = () => {
    create.mutate({ leader_id: leader, follower_id: follower }, { onSuccess: onClose });
  };
  const choice = (label: string, value: string, set: (v: string) => void) => (
    <TextField select required label={label} value={value} onChange={(e) => set(e.target.value)}>
      {people.map((p) => (
        <MenuItem key={p.id} value={p.id}>
          {p.name}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <FormDialog
      title="New couple"
      disabled={!leader || !follower}
      busy={create.isPending}
      error={create.error}
      onSubmit={submit}
      onClose={onClose}
    >
      {choice('Leader', leader, setLeader)}
      {choice('Follower', follower, setFollower)}
    </FormDialog>
  );
}
