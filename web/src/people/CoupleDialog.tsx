import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type FormEvent } from 'react';
import type { Schemas } from '../api/client';
import { useCreateCouple } from '../api/hooks';
import { Failure } from '../shell/State';

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
  const submit = (e: FormEvent) => {
    e.preventDefault();
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
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="couple-title">
      <Box component="form" onSubmit={submit}>
        <DialogTitle id="couple-title">New couple</DialogTitle>
        <DialogContent>
          <Box sx={{ display: 'grid', gap: 1.5, pt: 1 }}>
            {choice('Leader', leader, setLeader)}
            {choice('Follower', follower, setFollower)}
          </Box>
          <Failure error={create.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!leader || !follower}>
            Save
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}
