import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState, type FormEvent } from 'react';
import type { Schemas } from '../api/client';
import { useFrameLimit } from '../api/hooks';
import { Failure } from '../shell/State';

/** The distance at which a couple's arms lose their shape. */
export function FrameLimitDialog({
  couple,
  onClose,
}: {
  couple: Schemas['Couple'];
  onClose: () => void;
}) {
  const [limit, setLimit] = useState(
    couple.frame_limit == null ? '' : String(Math.round(couple.frame_limit * 100)),
  );
  const save = useFrameLimit();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate(
      { couple, limit: limit === '' ? null : Number(limit) / 100 },
      { onSuccess: onClose },
    );
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="limit-title">
      <Box component="form" onSubmit={submit}>
        <DialogTitle id="limit-title">
          {couple.leader} &amp; {couple.follower}
        </DialogTitle>
        <DialogContent>
          <Typography variant="body2" sx={{ mb: 1.5 }}>
            Let them step apart with joined hands until the round shape of the arms goes, and
            measure from the middle of one pair of feet to the other. Empty: taken from their arm
            lengths, with a wider ±.
          </Typography>
          <TextField
            fullWidth
            autoFocus
            label="Frame limit in cm"
            type="number"
            value={limit}
            onChange={(e) => setLimit(e.target.value)}
            slotProps={{ htmlInput: { min: 40, max: 250 } }}
          />
          <Failure error={save.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={save.isPending}>
            Save
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}
