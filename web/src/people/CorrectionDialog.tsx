import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue, useChangeCorrection } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';

/** Changes what a logged correction says, its step on the ladder and its date. */
export function CorrectionDialog({
  was,
  onClose,
}: {
  was: Schemas['Correction'];
  onClose: () => void;
}) {
  const catalogue = useCatalogue();
  const fault = catalogue.data?.faults.find((f) => f.id === was.fault);
  const [cue, setCue] = useState(was.cue);
  const [step, setStep] = useState(was.drill_step);
  const [recheck, setRecheck] = useState(was.recheck_on ?? '');
  const save = useChangeCorrection();
  const submit = () => {
    const input = {
      cue,
      drill: fault?.ladder[step - 1] ?? was.drill,
      drill_step: step,
      recheck_on: recheck || null,
    };
    save.mutate({ was, input }, { onSuccess: onClose });
  };
  return (
    <FormDialog
      wide
      title={fault?.name ?? was.fault}
      busy={save.isPending}
      error={save.error}
      onSubmit={submit}
      onClose={onClose}
    >
      <TextField
        label="Say"
        multiline
        required
        value={cue}
        onChange={(e) => setCue(e.target.value)}
      />
      <TextField select label="Do" value={step} onChange={(e) => setStep(Number(e.target.value))}>
        {(fault?.ladder ?? [was.drill]).map((d, i) => (
          <MenuItem key={d} value={i + 1}>
            {i + 1}. {d}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Look again on"
        type="date"
        value={recheck}
        onChange={(e) => setRecheck(e.target.value)}
        slotProps={{ inputLabel: { shrink: true } }}
      />
    </FormDialog>
  );
}
