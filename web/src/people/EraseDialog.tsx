import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useErasePerson, useErasing } from '../api/bin';
import type { Schemas } from '../api/client';
import { FormDialog } from '../shell/FormDialog';
import { Loaded } from '../shell/State';
import { plural } from '../words';

/** Erases a person for good, once their name is typed. */
export function EraseDialog({
  person,
  onClose,
}: {
  person: Schemas['Person'];
  onClose: () => void;
}) {
  const with_ = useErasing(person.id);
  const erase = useErasePerson();
  const navigate = useNavigate();
  const [typed, setTyped] = useState('');
  return (
    <FormDialog
      title={`Erase ${person.name}?`}
      busy={erase.isPending}
      error={erase.error}
      action="Erase for good"
      disabled={typed.trim() !== person.name}
      onSubmit={() => erase.mutate(person.id, { onSuccess: () => void navigate('/people') })}
      onClose={onClose}
    >
      <Loaded of={with_}>
        {(w) => (
          <Typography sx={{ mb: 1 }}>
            The name, {plural(w.takes, 'take')} with their films and landmarks,{' '}
            {plural(w.corrections, 'correction')} and the private addresses go for good
            {w.of_partners > 0 &&
              `, and so ${w.of_partners === 1 ? 'does' : 'do'} ${plural(w.of_partners, 'correction')} of partners from the same takes`}
            . This cannot be undone; export the studio first if somebody still needs it.
          </Typography>
        )}
      </Loaded>
      <TextField
        fullWidth
        autoFocus
        label={`Type “${person.name}” to confirm`}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
      />
    </FormDialog>
  );
}
