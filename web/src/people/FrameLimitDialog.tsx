import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useFrameLimit } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';

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
  const submit = () => {
    save.mutate(
      { couple, limit: limit === '' ? null : Number(limit) / 100 },
      { onSuccess: onClose },
    );
  };
  return (
    <FormDialog
      title={`${couple.leader} & ${couple.follower}`}
      busy={save.isPending}
      error={save.error}
      onSubmit={submit}
      onClose={onClose}
    >
      <Typography variant="body2">
        Let them step apart with joined hands until the round shape of the arms goes, and measure
        from the middle of one pair of feet to the other. Empty: taken from their arm lengths, with
        a wider ±.
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
    </FormDialog>
  );
}
