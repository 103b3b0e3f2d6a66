import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState, type FormEvent } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue, useDecide } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Failure } from '../shell/State';
import { bandText, reading, todayIso, type Role } from '../words';

/** Seen, why, say, do, target, look again: a finding becomes a correction. Enter logs it as proposed. */
export function CorrectionSheet({
  take,
  j,
  cause,
  count,
  onClose,
}: {
  take: Schemas['Take'];
  j: Schemas['Judged'];
  cause: Schemas['Judged'] | null;
  count: string | undefined;
  onClose: () => void;
}) {
  const catalogue = useCatalogue();
  const decide = useDecide(take.id);
  const fault = catalogue.data?.faults.find((f) => f.id === j.fault);
  const causing = catalogue.data?.faults.find((f) => f.id === cause?.fault);
  const [roles, setRoles] = useState<Role[]>(j.role ? [j.role] : ['leader', 'follower']);
  const [cue, setCue] = useState<string | null>(null);
  const [step, setStep] = useState(1);
  const [recheck, setRecheck] = useState('');
  if (!fault) return null;
  const proposed = roles.length === 1 ? (fault.cue[roles[0] ?? 'leader'] ?? '') : '';
  const submit = (e: FormEvent) => {
    e.preventDefault();
    decide.mutate(
      {
        fault: j.fault,
        role: j.role ?? 'couple',
        verdict: 'confirmed',
        reason: '',
        wish: { roles, cue: cue || null, drill_step: step, recheck_on: recheck || null },
      },
      { onSuccess: onClose },
    );
  };
  const who = (role: Role) => (role === 'leader' ? take.leader : take.follower);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="sheet-title">
      <Box component="form" onSubmit={submit}>
        <DialogTitle id="sheet-title" sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
          <RoleMark role={j.role} /> {fault.name}
        </DialogTitle>
        <DialogContent sx={{ display: 'grid', gap: 1.5 }}>
          <Typography variant="body2">
            <b>Seen</b> in {j.showing} of {j.of} repetitions{count ? `, most at ${count}` : ''}:{' '}
            {reading(fault.measure, j.value, j.unit)}. Fine is {bandText(j.band, j.unit)}.{' '}
            {fault.reason}
          </Typography>
          {causing && (
            <Typography variant="body2">
              <b>Why</b> It comes with “{causing.name}”; mend that first and look again.
            </Typography>
          )}
          {fault.caution && <Alert severity="warning">{fault.caution}</Alert>}
          {!j.role && (
            <Box role="group" aria-label="For whom">
              {(['leader', 'follower'] as const).map((role) => (
                <FormControlLabel
                  key={role}
                  label={who(role)}
                  control={
                    <Checkbox
                      checked={roles.includes(role)}
                      onChange={(e) =>
                        setRoles((r) =>
                          e.target.checked ? [...r, role] : r.filter((x) => x !== role),
                        )
                      }
                    />
                  }
                />
              ))}
            </Box>
          )}
          <TextField
            label={roles.length === 1 ? 'Say' : 'Say (empty: each role’s own cue)'}
            multiline
            value={cue ?? proposed}
            onChange={(e) => setCue(e.target.value)}
          />
          <TextField
            select
            label="Do"
            value={step}
            onChange={(e) => setStep(Number(e.target.value))}
          >
            {fault.ladder.map((d, i) => (
              <MenuItem key={d} value={i + 1}>
                {i + 1}. {d}
              </MenuItem>
            ))}
          </TextField>
          <Typography variant="body2">
            <b>Target</b> {fault.target}
          </Typography>
          <TextField
            label="Look again on (empty: in a week)"
            type="date"
            value={recheck}
            onChange={(e) => setRecheck(e.target.value)}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: todayIso() } }}
          />
          <Failure error={decide.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            type="submit"
            variant="contained"
            autoFocus
            disabled={roles.length === 0}
            loading={decide.isPending}
          >
            Log the correction
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}

/** Why a finding is none. */
export function DismissSheet({
  take,
  j,
  onClose,
}: {
  take: string;
  j: Schemas['Judged'];
  onClose: () => void;
}) {
  const catalogue = useCatalogue();
  const decide = useDecide(take);
  const [reason, setReason] = useState('');
  const submit = (e: FormEvent) => {
    e.preventDefault();
    decide.mutate(
      { fault: j.fault, role: j.role ?? 'couple', verdict: 'dismissed', reason },
      { onSuccess: onClose },
    );
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="dismiss-title">
      <Box component="form" onSubmit={submit}>
        <DialogTitle id="dismiss-title">
          Dismiss “{catalogue.data?.faults.find((f) => f.id === j.fault)?.name ?? j.fault}”
        </DialogTitle>
        <DialogContent>
          <TextField
            sx={{ mt: 1 }}
            fullWidth
            required
            autoFocus
            label="Why it is none here"
            placeholder="styling, other school, marked badly…"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Failure error={decide.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={decide.isPending}>
            Dismiss
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}
