import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Box from '@mui/material/Box';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { FormDialog } from '../shell/FormDialog';
import type { Role } from '../words';
import {
  actions,
  connections,
  contacts,
  directions,
  footings,
  holdVerbs,
  legs,
  levels,
  parts,
  positions,
  watchpoints,
} from './vocabulary';
import { landmarkName, spoken } from './words';

type Draft = Schemas['Draft'];
type Entry = Schemas['StepEntry'];

/** One choice of a vocabulary; empty for none. */
function Choice<T extends string>({
  label,
  value,
  options,
  none = '–',
  onChange,
}: {
  label: string;
  value: T | null | undefined;
  options: T[];
  none?: string | null;
  onChange: (value: T | null) => void;
}) {
  return (
    <TextField
      select
      label={label}
      value={value ?? ''}
      onChange={(e) => onChange((e.target.value || null) as T | null)}
    >
      {none !== null && <MenuItem value="">{none}</MenuItem>}
      {options.map((o) => (
        <MenuItem key={o} value={o}>
          {spoken(o)}
        </MenuItem>
      ))}
    </TextField>
  );
}

const two = { display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1.5 } as const;

/** One role on one count, as fields. Gives the whole draft with the change made. */
export function StepDialog({
  draft,
  role,
  count,
  label,
  entry,
  busy,
  error,
  onDraft,
  onClose,
}: {
  draft: Draft;
  role: Role;
  count: number;
  label: string;
  /** Which entry of the role; a new one when absent. */
  entry: number | undefined;
  busy: boolean;
  error: Error | null;
  onDraft: (draft: Draft) => void;
  onClose: () => void;
}) {
  const was = entry === undefined ? undefined : draft[role][entry];
  const [e, setE] = useState<Entry>(
    was ?? { count, foot: 'L', does: 'step', direction: 'forward', size: 0.5 },
  );
  const change = (part: Partial<Entry>) => setE({ ...e, ...part });
  const [nothing, setNothing] = useState(false);
  const block = (parts as string[]).includes(e.does);
  const submit = () => {
    const others = draft[role].filter((_, i) => i !== entry);
    const entries = nothing ? others : [...others, e].sort((a, b) => a.count - b.count);
    onDraft({ ...draft, [role]: entries });
  };
  const eighths = (name: string, value: number | null | undefined, set: (n: number) => void) => (
    <TextField
      type="number"
      label={name}
      value={value ?? 0}
      onChange={(x) => set(Math.round(Number(x.target.value)))}
      slotProps={{ htmlInput: { min: -32, max: 32 } }}
      helperText="eighths, left +"
    />
  );
  return (
    <FormDialog
      wide
      title={`${role === 'leader' ? 'Leader' : 'Follower'}, count ${label}`}
      action="Write it"
      busy={busy}
      error={error}
      onSubmit={submit}
      onClose={onClose}
    >
      <Box sx={two}>
        <Choice
          label="What the foot does"
          value={nothing ? null : e.does}
          options={[...actions, ...parts]}
          none="nothing on this count"
          onChange={(does) => {
            setNothing(does === null);
            if (does) change({ does });
          }}
        />
        <TextField
          select
          label="Foot"
          value={e.foot}
          onChange={(x) => change({ foot: x.target.value as Schemas['Foot'] })}
        >
          <MenuItem value="L">left</MenuItem>
          <MenuItem value="R">right</MenuItem>
        </TextField>
        <Choice
          label="Where to"
          value={e.direction}
          options={directions}
          none={block ? 'as usual for it' : 'it stays'}
          onChange={(direction) => change({ direction })}
        />
        <TextField
          type="number"
          label="Size, % of a full step"
          value={Math.round((e.size ?? 0) * 1000) / 10}
          onChange={(x) => change({ size: Number(x.target.value) / 100 })}
          slotProps={{ htmlInput: { min: 0, max: 150, step: 'any' } }}
        />
        {e.does === 'walk' && (
          <TextField
            type="number"
            label="Steps of the walk"
            value={e.steps ?? 2}
            onChange={(x) => change({ steps: Number(x.target.value) })}
            slotProps={{ htmlInput: { min: 2, max: 16 } }}
          />
        )}
        {eighths('Turn', e.turn, (turn) => change({ turn }))}
        {eighths('Turn at the second stage', e.second_turn ?? e.turn, (t) =>
          change({ second_turn: t === e.turn ? null : t }),
        )}
        <Choice
          label="First contact"
          value={e.contact}
          options={contacts}
          onChange={(contact) => change({ contact })}
        />
        <Choice
          label="Rise and fall"
          value={e.level}
          options={levels}
          onChange={(level) => change({ level })}
        />
        <Choice
          label="Knee on arrival"
          value={e.leg}
          options={legs}
          onChange={(leg) => change({ leg })}
        />
        <TextField
          select
          label="Judged here"
          value={e.judge ?? []}
          onChange={(x) => change({ judge: x.target.value as unknown as Schemas['Watchpoint'][] })}
          slotProps={{ select: { multiple: true } }}
        >
          {watchpoints.map((w) => (
            <MenuItem key={w} value={w}>
              {landmarkName[w]}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <FormControlLabel
        control={
          <Checkbox
            checked={e.turns_freely ?? false}
            onChange={(x) => change({ turns_freely: x.target.checked })}
          />
        }
        label="Turning is free here"
      />
    </FormDialog>
  );
}

/** `catch R-L, release L-L` as changes of holds; the server says when a hold is none. */
function changesOf(text: string): Schemas['HoldChange'][] {
  return text
    .split(',')
    .map((t) => t.trim().split(/\s+/))
    .filter(([verb]) => verb)
    .map(([verb = '', hold = '']) => ({ verb: verb as Schemas['HoldVerb'], hold }));
}

/** The couple on one count, as fields. */
export function CoupleEntryDialog({
  draft,
  count,
  label,
  busy,
  error,
  onDraft,
  onClose,
}: {
  draft: Draft;
  count: number;
  label: string;
  busy: boolean;
  error: Error | null;
  onDraft: (draft: Draft) => void;
  onClose: () => void;
}) {
  const was = draft.couple?.find((c) => c.count === count);
  const [e, setE] = useState<Schemas['CoupleEntry']>(was ?? { count });
  const [holds, setHolds] = useState(
    (was?.holds ?? []).map((h) => `${h.verb} ${h.hold}`).join(', '),
  );
  const [wrong, setWrong] = useState<Error | null>(null);
  const change = (part: Partial<Schemas['CoupleEntry']>) => setE({ ...e, ...part });
  const submit = () => {
    const changes = changesOf(holds);
    const bad = changes.find((c) => !holdVerbs.includes(c.verb) || !c.hold);
    if (bad) {
      setWrong(
        new Error(
          `Write each change as ${holdVerbs.join(', ')} and a hold: catch R-L, release L-L.`,
        ),
      );
      return;
    }
    setWrong(null);
    const now = { ...e, holds: changes };
    const empty = Object.entries(now).every(
      ([k, v]) => k === 'count' || v == null || v === false || (Array.isArray(v) && !v.length),
    );
    const others = (draft.couple ?? []).filter((c) => c.count !== count);
    const couple = empty ? others : [...others, now].sort((a, b) => a.count - b.count);
    onDraft({ ...draft, couple });
  };
  const flag = (name: 'dip' | 'optional' | 'open_ended', text: string) => (
    <FormControlLabel
      control={
        <Checkbox
          checked={e[name] ?? false}
          onChange={(x) => change({ [name]: x.target.checked })}
        />
      }
      label={text}
    />
  );
  return (
    <FormDialog
      wide
      title={`The couple, count ${label}`}
      action="Write it"
      busy={busy}
      error={wrong ?? error}
      onSubmit={submit}
      onClose={onClose}
    >
      <Box sx={two}>
        <Choice
          label="Position reached"
          value={e.position}
          options={positions}
          onChange={(position) => change({ position })}
        />
        <Choice
          label="Connection from here"
          value={e.connection}
          options={connections}
          onChange={(connection) => change({ connection })}
        />
        <Choice
          label="Feet from here"
          value={e.footing}
          options={footings}
          onChange={(footing) => change({ footing })}
        />
        <TextField
          select
          label="Judged here"
          value={e.judge ?? []}
          onChange={(x) =>
            change({ judge: x.target.value as unknown as Schemas['CoupleWatchpoint'][] })
          }
          slotProps={{ select: { multiple: true } }}
        >
          <MenuItem value="stretch">drawn apart by here</MenuItem>
          <MenuItem value="together">together on purpose</MenuItem>
        </TextField>
      </Box>
      <TextField
        label="Hands that change, in order"
        value={holds}
        onChange={(x) => setHolds(x.target.value)}
        helperText="Leader’s hand first: catch R-L, release L-L; an arm round the body: take R>shoulder-blade"
      />
      <Box>
        {flag('dip', 'A dip or drop')}
        {flag('optional', 'May be left out')}
        {flag('open_ended', 'As long as the phrase asks')}
      </Box>
    </FormDialog>
  );
}
