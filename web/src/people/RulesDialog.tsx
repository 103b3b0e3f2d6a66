import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue, useChoices, useCouples } from '../api/hooks';
import { BandFields } from '../faults/BandFields';
import { FormDialog } from '../shell/FormDialog';
import { bandText } from '../words';

type Choices = Schemas['Choices'];

/** By what a couple is judged: stage, schools, own bands. Its takes are judged again at once. */
export function RulesDialog({ couple: id, onClose }: { couple: string; onClose: () => void }) {
  const couples = useCouples();
  const couple = couples.data?.find((c) => c.id === id);
  return couple ? <Rules couple={couple} onClose={onClose} /> : null;
}

function Rules({ couple, onClose }: { couple: Schemas['Couple']; onClose: () => void }) {
  const catalogue = useCatalogue();
  const save = useChoices();
  const [choices, setChoices] = useState<Choices>(couple.choices);
  const change = (to: Partial<Choices>) => setChoices((c) => ({ ...c, ...to }));
  const setBand = (i: number, to: Partial<Schemas['OwnBand']>) =>
    change({ bands: choices.bands.map((b, k) => (k === i ? { ...b, ...to } : b)) });
  const measured = catalogue.data?.faults.filter((f) => f.band) ?? [];
  const first = measured[0];
  const unit = (fault: string) => {
    const entry = measured.find((f) => f.id === fault);
    return catalogue.data?.measures.find((m) => m.id === entry?.measure)?.unit ?? 'ratio';
  };
  return (
    <FormDialog
      wide
      title={`${couple.leader} & ${couple.follower}`}
      busy={save.isPending}
      error={save.error}
      onSubmit={() => save.mutate({ couple, choices }, { onSuccess: onClose })}
      onClose={onClose}
    >
      <TextField
        select
        label="Stage"
        value={choices.stage}
        onChange={(e) => change({ stage: e.target.value as Schemas['CoupleStage'] })}
        helperText="In the first stage turns are smaller."
      >
        <MenuItem value="first">first: the easy version</MenuItem>
        <MenuItem value="second">second: the full version</MenuItem>
      </TextField>
      <Typography variant="h3">Schools</Typography>
      {catalogue.data?.topics.map((t) => {
        const chosen = choices.schools[t.id] ?? '';
        const said = t.choices.find((c) => c.id === (chosen || t.default));
        return (
          <TextField
            key={t.id}
            select
            label={t.name}
            value={chosen}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            helperText={chosen ? said?.reason : undefined}
            onChange={(e) => {
              const others = Object.entries(choices.schools).filter(([id]) => id !== t.id);
              const own: [string, string][] = e.target.value ? [[t.id, e.target.value]] : [];
              change({ schools: Object.fromEntries([...others, ...own]) });
            }}
          >
            <MenuItem value="">as usual for the dance</MenuItem>
            {t.choices.map((c) => (
              <MenuItem key={c.id} value={c.id}>
                {c.name}
              </MenuItem>
            ))}
          </TextField>
        );
      })}
      <Typography variant="h3">Own bands</Typography>
      {choices.bands.map((b, i) => (
        <Box
          key={i}
          role="group"
          aria-label={`Own band ${i + 1}`}
          sx={{ display: 'grid', gap: 1, borderLeft: 2, borderColor: 'divider', pl: 1.5 }}
        >
          <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 130px auto', gap: 1 }}>
            <TextField
              select
              label="Fault"
              value={b.fault}
              onChange={(e) => {
                const to = measured.find((f) => f.id === e.target.value);
                if (to?.band) setBand(i, { fault: to.id, band: to.band });
              }}
            >
              {measured.map((f) => (
                <MenuItem key={f.id} value={f.id}>
                  {f.name}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              select
              label="Whose"
              value={b.role ?? ''}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
              onChange={(e) =>
                setBand(i, { role: (e.target.value || null) as Schemas['Role'] | null })
              }
            >
              <MenuItem value="">both</MenuItem>
              <MenuItem value="leader">leader</MenuItem>
              <MenuItem value="follower">follower</MenuItem>
            </TextField>
            <Button
              onClick={() => change({ bands: choices.bands.filter((_, k) => k !== i) })}
              aria-label={`Remove own band ${i + 1}`}
            >
              Remove
            </Button>
          </Box>
          <BandFields
            band={b.band}
            unit={unit(b.fault)}
            onChange={(band) => setBand(i, { band })}
          />
          <TextField
            required
            label="Why it is another"
            value={b.reason}
            onChange={(e) => setBand(i, { reason: e.target.value })}
          />
          <Typography variant="caption" color="text.secondary">
            Fine: {bandText(b.band, unit(b.fault))}
          </Typography>
        </Box>
      ))}
      <Box>
        <Button
          disabled={!first}
          onClick={() =>
            first?.band &&
            change({
              bands: [
                ...choices.bands,
                { fault: first.id, role: null, band: first.band, reason: '' },
              ],
            })
          }
        >
          Add an own band
        </Button>
      </Box>
    </FormDialog>
  );
}
