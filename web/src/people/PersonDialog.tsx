import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useSavePerson } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';

/** Adds a person, or changes one. */
export function PersonDialog({ was, onClose }: { was?: Schemas['Person']; onClose: () => void }) {
  const [name, setName] = useState(was?.name ?? '');
  const [height, setHeight] = useState(was ? String(Math.round(was.height * 100)) : '');
  const [note, setNote] = useState(was?.note ?? '');
  const [consent, setConsent] = useState(was?.consent ?? false);
  const save = useSavePerson();
  const submit = () => {
    const input = { name, height: Number(height) / 100, note, consent };
    save.mutate({ was, input }, { onSuccess: onClose });
  };
  return (
    <FormDialog
      title={was ? was.name : 'New person'}
      busy={save.isPending}
      error={save.error}
      onSubmit={submit}
      onClose={onClose}
    >
      <TextField
        label="Name"
        required
        autoFocus
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <TextField
        label="Standing height in cm, without shoes"
        required
        type="number"
        value={height}
        onChange={(e) => setHeight(e.target.value)}
        slotProps={{ htmlInput: { min: 100, max: 230, step: 1 } }}
      />
      <TextField
        label="Notes for cautions"
        multiline
        minRows={2}
        value={note}
        onChange={(e) => setNote(e.target.value)}
        helperText="Sore shoulder, knee, dizziness. No diagnosis: a doctor or physiotherapist decides."
      />
      <FormControlLabel
        control={<Checkbox checked={consent} onChange={(e) => setConsent(e.target.checked)} />}
        label="Has agreed to be filmed (a guardian for a minor)"
      />
    </FormDialog>
  );
}
