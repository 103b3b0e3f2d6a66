import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useFrameLimit } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import { quantity, withError } from '../words';

/** The distance at which a couple's arms lose their shape. */
export function FrameLimitDialog({
  couple,
  measured,
  onClose,
}: {
  couple: Schemas['Couple'];
  /** Their distance where the coach looks, metres, with its standard error. */
  measured?: { value: number; sigma: number } | undefined;
  onClose: () => void;
}) {
  const known = measured?.value ?? couple.frame_limit;
  const [limit, setLimit] = useState(known == null ? '' : String(Math.round(known * 100)));
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
      {measured && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          Here they are {withError(measured, 'metres')} apart
          {couple.frame_limit == null
            ? '.'
            : `; so far their limit is ${quantity(couple.frame_limit, 'metres')}.`}{' '}
          Keep it where the round shape of the arms just goes. Their takes are judged by it.
        </Typography>
      )}
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
