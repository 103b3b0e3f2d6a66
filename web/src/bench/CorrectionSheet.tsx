import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState, type ReactNode } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue, useDecide } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { FormDialog } from '../shell/FormDialog';
import { NoteAlerts } from './NoteAlerts';
import { bandText, reading, todayIso, type Role } from '../words';

/** Seen, why, say, do, target, look again: a finding becomes a correction. Enter logs it as proposed. */
export function CorrectionSheet({
  take,
  j,
  cause,
  count,
  cautions,
  still,
  onClose,
}: {
  take: Schemas['Take'];
  j: Schemas['Judged'];
  cause: Schemas['Judged'] | null;
  count: string | undefined;
  cautions: Schemas['CautionView'][];
  /** The moment it shows most. */
  still: ReactNode;
  onClose: () => void;
}) {
  const catalogue = useCatalogue();
  const decide = useDecide(take.id);
  const fault = catalogue.data?.faults.find((f) => f.id === j.fault);
  const causing = catalogue.data?.faults.find((f) => f.id === cause?.fault);
  const [roles, setRoles] = useState<Role[]>(j.whose);
  const [cue, setCue] = useState<string | null>(null);
  const [step, setStep] = useState(1);
  const [recheck, setRecheck] = useState('');
  if (!fault) return null;
  const proposed = roles.length === 1 ? (fault.cue[roles[0] ?? 'leader'] ?? '') : '';
  const submit = () => {
    decide.mutate(
      {
        fault: j.fault,
        role: j.role ?? 'couple',
        verdict: 'confirmed',
        reason: '',
        wish: {
          roles,
          cue: cue || null,
          drill_step: step,
          recheck_on: recheck || null,
          grade: null,
          count: null,
        },
      },
      { onSuccess: onClose },
    );
  };
  const who = (role: Role) => (role === 'leader' ? take.leader : take.follower);
  return (
    <FormDialog
      wide
      title={
        <>
          <RoleMark role={j.role} /> {fault.name}
        </>
      }
      action="Log the correction"
      actionFirst
      disabled={roles.length === 0}
      busy={decide.isPending}
      error={decide.error}
      onSubmit={submit}
      onClose={onClose}
    >
      {still}
      <Typography variant="body2">
        <b>Seen</b> in {j.showing} of {j.of} repetitions{count ? `, most at ${count}` : ''}:{' '}
        {reading(j.measure, j.value, j.unit)}. Fine is {bandText(j.band, j.unit)}. {fault.reason}
      </Typography>
      {causing && (
        <Typography variant="body2">
          <b>Why</b> It comes with “{causing.name}”
          {j.explained == null
            ? ''
            : `, which explains about ${Math.round(100 * j.explained)} % of it`}
          ; mend that first and look again.
        </Typography>
      )}
      {fault.caution && <Alert severity="warning">{fault.caution}</Alert>}
      <NoteAlerts cautions={cautions} fault={fault.id} roles={roles} />
      {j.share && (
        <Typography variant="body2">
          <b>Whose</b> Leader {Math.round(100 * j.share.value)} % ±{' '}
          {Math.round(100 * j.share.sigma)}, follower {Math.round(100 * (1 - j.share.value))} %.
        </Typography>
      )}
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
                    setRoles((r) => (e.target.checked ? [...r, role] : r.filter((x) => x !== role)))
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
      <TextField select label="Do" value={step} onChange={(e) => setStep(Number(e.target.value))}>
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
    </FormDialog>
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
  const submit = () => {
    decide.mutate(
      { fault: j.fault, role: j.role ?? 'couple', verdict: 'dismissed', reason },
      { onSuccess: onClose },
    );
  };
  return (
    <FormDialog
      title={`Dismiss “${catalogue.data?.faults.find((f) => f.id === j.fault)?.name ?? j.fault}”`}
      action="Dismiss"
      busy={decide.isPending}
      error={decide.error}
      onSubmit={submit}
      onClose={onClose}
    >
      <TextField
        fullWidth
        required
        autoFocus
        label="Why it is none here"
        placeholder="styling, other school, marked badly…"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
    </FormDialog>
  );
}
