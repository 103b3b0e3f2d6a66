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
  found,
  measured,
  onClose,
}: {
  couple: Schemas['Couple'];
  /** Where their arms lose their shape in this take, metres, with its standard error. */
  found?: { value: number; sigma: number } | undefined;
  /** Their distance where the coach looks, metres, with its standard error. */
  measured?: { value: number; sigma: number } | undefined;
  onClose: () => void;
}) {
  const known = found?.value ?? measured?.value ?? couple.frame_limit;
  const before =
    couple.frame_limit == null
      ? '.'
      : `; so far their limit is ${quantity(couple.frame_limit, 'metres')}.`;
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
      {found && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          In this take their arms lose their round shape {withError(found, 'metres')} apart{before}{' '}
          Their takes are judged by it.
        </Typography>
      )}
      {measured && !found && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          Here they are {withError(measured, 'metres')} apart{before} Keep it where the round shape
          of the arms just goes. Their takes are judged by it.
        </Typography>
      )}
      <Typography variant="body2">
        Let them step apart with joined hands until the round shape of the arms goes, and measure
        from the middle of one pair of feet to the other, or film it: in a take of the figure “Step
        apart” it is found. Empty: taken from their arm lengths, with a wider ±.
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
