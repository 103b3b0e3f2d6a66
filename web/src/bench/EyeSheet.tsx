import Alert from '@mui/material/Alert';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue, useDecide } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import { NoteAlerts } from './NoteAlerts';
import { todayIso, type Role } from '../words';
import { findingKey } from './cells';

const grades = ['a little', 'some', 'much', 'very much'];

export interface About {
  count: number | null;
  fault?: string;
  role?: Role;
}

/** Logs a fault that the coach sees and the film does not show, or that the tool has no finding of. */
export function EyeSheet({
  take,
  analysis,
  chart,
  about,
  cautions,
  onClose,
}: {
  take: Schemas['Take'];
  analysis: Schemas['Analysis'];
  chart: Schemas['Sketch'] | undefined;
  /** The count in hand, and what it is likely to be about, where a finding is not sure. */
  about: About;
  cautions: Schemas['CautionView'][];
  onClose: () => void;
}) {
  const catalogue = useCatalogue();
  const decide = useDecide(take.id);
  const [fault, setFault] = useState(about.fault ?? '');
  const [role, setRole] = useState<Role>(about.role ?? 'leader');
  const [grade, setGrade] = useState(2);
  const [at, setAt] = useState(about.count == null ? '' : String(about.count));
  const [cue, setCue] = useState<string | null>(null);
  const [step, setStep] = useState(1);
  const [recheck, setRecheck] = useState('');
  const found = new Set(analysis.judged.filter((j) => j.showing > 0).map((j) => findingKey(j)));
  const own = (f: Schemas['Fault']) =>
    f.who === 'couple'
      ? !found.has(findingKey({ fault: f.id, role: 'couple' }))
      : !found.has(findingKey({ fault: f.id, role }));
  // What the tool cannot see comes first; what it has found is confirmed in the list above.
  const choices = (catalogue.data?.faults ?? [])
    .filter((f) => (f.who === 'each' || f.who === 'couple' || f.who === role) && own(f))
    .sort((a, b) => Number(!!a.band) - Number(!!b.band));
  const entry = choices.find((f) => f.id === fault);
  const submit = () => {
    if (!entry) return;
    decide.mutate(
      {
        fault: entry.id,
        role: entry.who === 'couple' ? 'couple' : role,
        verdict: 'confirmed',
        reason: '',
        wish: {
          roles: [role],
          cue: cue || null,
          drill_step: step,
          recheck_on: recheck || null,
          grade,
          count: at === '' ? null : Number(at),
        },
      },
      { onSuccess: onClose },
    );
  };
  return (
    <FormDialog
      wide
      title="Add what you see"
      action="Log the correction"
      disabled={!entry}
      busy={decide.isPending}
      error={decide.error}
      onSubmit={submit}
      onClose={onClose}
    >
      <TextField
        select
        label="For whom"
        value={role}
        onChange={(e) => {
          setRole(e.target.value as Role);
          setCue(null);
        }}
      >
        <MenuItem value="leader">{take.leader}, leading</MenuItem>
        <MenuItem value="follower">{take.follower}, following</MenuItem>
      </TextField>
      <TextField
        select
        label="What"
        value={entry ? fault : ''}
        onChange={(e) => {
          setFault(e.target.value);
          setCue(null);
          setStep(1);
        }}
      >
        {choices.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.name}
          </MenuItem>
        ))}
      </TextField>
      {entry?.caution && <Alert severity="warning">{entry.caution}</Alert>}
      {entry && <NoteAlerts cautions={cautions} fault={entry.id} roles={[role]} />}
      <TextField
        select
        label="How much"
        value={grade}
        onChange={(e) => setGrade(Number(e.target.value))}
      >
        {grades.map((g, i) => (
          <MenuItem key={g} value={i + 1}>
            {i + 1}: {g}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="At"
        value={at}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        onChange={(e) => setAt(e.target.value)}
      >
        <MenuItem value="">the whole figure</MenuItem>
        {chart?.pattern.marks.map((m, i) => (
          <MenuItem key={i} value={String(i)}>
            {m.label}
          </MenuItem>
        ))}
      </TextField>
      {entry && (
        <>
          <TextField
            label="Say"
            multiline
            value={cue ?? entry.cue[role] ?? ''}
            onChange={(e) => setCue(e.target.value)}
          />
          <TextField
            select
            label="Do"
            value={step}
            onChange={(e) => setStep(Number(e.target.value))}
          >
            {entry.ladder.map((d, i) => (
              <MenuItem key={d} value={i + 1}>
                {i + 1}. {d}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Look again on (empty: in a week)"
            type="date"
            value={recheck}
            onChange={(e) => setRecheck(e.target.value)}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: todayIso() } }}
          />
        </>
      )}
    </FormDialog>
  );
}
