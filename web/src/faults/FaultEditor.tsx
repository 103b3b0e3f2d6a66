import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { usePreviewFault, useSaveFault } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { FormDialog } from '../shell/FormDialog';
import { Failure } from '../shell/State';
import { day, plural, reading, roles } from '../words';
import { BandFields } from './BandFields';
import { onText, whoText } from './words';

type Fault = Schemas['Fault'];

const blank: Fault = {
  id: '',
  area: 'posture',
  name: '',
  who: 'each',
  measure: null,
  otherwise: null,
  shared_by: null,
  band: null,
  reason: '',
  applies: {
    families: [],
    positions: [],
    not_positions: [],
    on: [],
    slotted: false,
    level: false,
    rises: false,
    tracked: false,
  },
  scale: [],
  severity: 2,
  safety: false,
  held: false,
  caused_by: [],
  cue: {},
  ladder: ['Alone', 'Facing, no hands', 'One hand', 'Full hold, slow count', 'Slow music', 'Tempo'],
  target: '',
  caution: null,
};

const areas = [
  'posture',
  'frame',
  'connection',
  'compression',
  'rotation',
  'feet',
  'legs',
  'timing',
];

/** The entry's own fields, without what the list adds. */
function bare(was: Schemas['FaultView']): Fault {
  const fault: Partial<Schemas['FaultView']> = { ...was };
  delete fault.own;
  delete fault.stands_in;
  delete fault.version;
  return fault as Fault;
}

/** Adapts an entry or writes a new one; shows what it would find before it is kept. */
export function FaultEditor({
  was,
  catalogue,
  onClose,
}: {
  was: Schemas['FaultView'] | undefined;
  catalogue: Schemas['CatalogueView'];
  onClose: () => void;
}) {
  const [f, setF] = useState<Fault>(was ? bare(was) : blank);
  const save = useSaveFault();
  const preview = usePreviewFault();
  const change = (to: Partial<Fault>) => setF((x) => ({ ...x, ...to }));
  const measure = catalogue.measures.find((m) => m.id === f.measure);
  const field = (name: 'name' | 'reason' | 'target', label: string) => (
    <TextField
      required
      label={label}
      value={f[name]}
      onChange={(e) => change({ [name]: e.target.value })}
    />
  );
  return (
    <FormDialog
      wide
      title={was ? `Adapt “${was.name}”` : 'New fault'}
      busy={save.isPending}
      error={save.error}
      onSubmit={() => save.mutate({ entry: f, version: was?.version ?? 0 }, { onSuccess: onClose })}
      onClose={onClose}
    >
      <Box sx={{ display: 'grid', gridTemplateColumns: '90px 1fr 130px', gap: 1 }}>
        <TextField
          required
          label="Short id"
          disabled={!!was}
          value={f.id}
          slotProps={{ htmlInput: { maxLength: 8 } }}
          onChange={(e) => change({ id: e.target.value.toUpperCase() })}
        />
        {field('name', 'Name')}
        <TextField
          select
          label="Area"
          value={f.area}
          onChange={(e) => change({ area: e.target.value })}
        >
          {areas.map((a) => (
            <MenuItem key={a} value={a}>
              {a}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 150px 110px', gap: 1 }}>
        <TextField
          select
          label="Measured by"
          value={f.measure ?? ''}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          onChange={(e) => {
            const to = e.target.value || null;
            const open: Schemas['Band'] = { fine: [null, null], clear: [null, null] };
            change({ measure: to, otherwise: null, band: to ? (f.band ?? open) : null });
          }}
        >
          <MenuItem value="">the coach’s eye</MenuItem>
          {catalogue.measures.map((m) => (
            <MenuItem key={m.id} value={m.id}>
              {m.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Whose"
          value={f.who}
          onChange={(e) => change({ who: e.target.value as Schemas['Who'] })}
        >
          {Object.entries(whoText).map(([id, text]) => (
            <MenuItem key={id} value={id}>
              {text}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Weight"
          value={f.severity}
          onChange={(e) => change({ severity: Number(e.target.value) })}
        >
          {[1, 2, 3].map((n) => (
            <MenuItem key={n} value={n}>
              {n} of 3
            </MenuItem>
          ))}
        </TextField>
      </Box>
      {f.band && measure && (
        <>
          <BandFields band={f.band} unit={measure.unit} onChange={(band) => change({ band })} />
          <Typography variant="caption" color="text.secondary">
            Read as: {measure.source}; {measure.sign}. Leave both edges of a side empty to leave it
            open.
          </Typography>
          <TextField
            select
            label="Only where"
            value={f.applies.on}
            slotProps={{ select: { multiple: true } }}
            onChange={(e) =>
              change({
                applies: { ...f.applies, on: e.target.value as unknown as Schemas['On'][] },
              })
            }
          >
            {Object.entries(onText).map(([id, text]) => (
              <MenuItem key={id} value={id}>
                {text}
              </MenuItem>
            ))}
          </TextField>
        </>
      )}
      {field('reason', 'Why it matters')}
      {roles.map((role) => (
        <TextField
          key={role}
          label={`Say to the ${role}`}
          value={f.cue[role] ?? ''}
          onChange={(e) => change({ cue: { ...f.cue, [role]: e.target.value } })}
        />
      ))}
      <TextField
        label="Drill, a step a line, from alone to tempo"
        multiline
        minRows={4}
        value={f.ladder.join('\n')}
        onChange={(e) => change({ ladder: e.target.value.split('\n') })}
      />
      {field('target', 'What fine looks like')}
      <TextField
        label="Caution, where someone can get hurt"
        value={f.caution ?? ''}
        onChange={(e) => change({ caution: e.target.value || null })}
      />
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <Button
          variant="outlined"
          loading={preview.isPending}
          disabled={!f.band}
          onClick={() => preview.mutate(f)}
        >
          What would it find?
        </Button>
        <Typography variant="caption" color="text.secondary">
          Looks through the newest takes; nothing is kept yet.
        </Typography>
      </Box>
      <Failure error={preview.error} />
      {preview.data && <Found of={preview.data} measure={measure} />}
    </FormDialog>
  );
}

function Found({
  of,
  measure,
}: {
  of: Schemas['Preview'];
  measure: Schemas['MeasureView'] | undefined;
}) {
  if (of.lines.length === 0) {
    return (
      <Typography variant="body2" role="status">
        Nothing of it is measured in {plural(of.takes, 'take')}.
      </Typography>
    );
  }
  return (
    <Table size="small" aria-label="What it would find">
      <TableHead>
        <TableRow>
          <TableCell>Take</TableCell>
          <TableCell>Measured</TableCell>
          <TableCell align="right">Now</TableCell>
          <TableCell align="right">Then</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {of.lines.map((l) => (
          <TableRow key={`${l.take} ${l.role ?? 'couple'}`}>
            <TableCell>
              <RoleMark role={l.role} /> {l.leader} & {l.follower}, {day(l.held_on)}
            </TableCell>
            <TableCell>
              {l.value && measure ? reading(measure.id, l.value, measure.unit) : ''}
            </TableCell>
            <TableCell align="right">
              {l.now} of {l.of}
            </TableCell>
            <TableCell align="right">
              {l.then} of {l.of}
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
