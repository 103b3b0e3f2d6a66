import Alert from '@mui/material/Alert';
import type { Schemas } from '../api/client';
import type { Role } from '../words';

/** Caution notes of those for whom a drill is meant and which it can touch. */
export function NoteAlerts({
  cautions,
  fault,
  roles,
}: {
  cautions: Schemas['CautionView'][];
  fault: string;
  roles: Role[];
}) {
  return cautions
    .filter((c) => roles.includes(c.role) && c.faults.includes(fault))
    .map((c) => (
      <Alert key={c.role} severity="warning">
        Noted of {c.person}: “{c.note}”. This drill can touch it; a doctor or physiotherapist
        decides.
      </Alert>
    ));
}
