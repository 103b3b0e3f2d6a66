import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { useRemoveFault } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Failure } from '../shell/State';
import { bandText, quantity, roles, type Unit } from '../words';
import { appliesText, scaleText, whoText } from './words';

type Entry = Schemas['FaultView'];

/** Beyond what a fault is clear, in words. */
function clearText(band: Schemas['Band'], unit: Unit) {
  const [lo, hi] = band.clear;
  if (lo != null && hi != null) {
    return lo === -hi
      ? `beyond ${quantity(hi, unit)} either way`
      : `below ${quantity(lo, unit)} or above ${quantity(hi, unit)}`;
  }
  return lo != null ? `below ${quantity(lo, unit)}` : `above ${quantity(hi ?? 0, unit)}`;
}

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <Typography variant="body2" color="text.secondary">
        {name}
      </Typography>
      <Typography variant="body2" component="div">
        {children}
      </Typography>
    </>
  );
}

/** One entry of the catalogue, whole. */
export function FaultSheet({
  entry: f,
  catalogue,
  onAdapt,
}: {
  entry: Entry;
  catalogue: Schemas['CatalogueView'];
  onAdapt: () => void;
}) {
  const remove = useRemoveFault();
  const measure = catalogue.measures.find((m) => m.id === f.measure);
  const name = (id: string) => catalogue.faults.find((x) => x.id === id)?.name ?? id;
  const to = (id: string) => (
    <Link key={id} to={`/faults?fault=${id}`}>
      {name(id)}
    </Link>
  );
  const listed = (ids: ReactNode[]) =>
    ids.flatMap((x, i) => (i === 0 ? [x] : [' · ', x])) as ReactNode;
  const effects = catalogue.faults.filter((x) => x.caused_by.some((c) => c.fault === f.id));
  const schools = catalogue.topics.flatMap((t) =>
    t.choices.flatMap((c) => {
      if (c.off.includes(f.id)) return [`${t.name}: “${c.name}” does not know it.`];
      const own = c.bands.find((b) => b.fault === f.id);
      return own && measure
        ? [`${t.name}: “${c.name}” sees ${bandText(own.band, measure.unit)}.`]
        : [];
    }),
  );
  const applies = appliesText(f.applies);
  return (
    <Card component="section" aria-label={f.name} sx={{ p: 2 }}>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {f.name}{' '}
          <Typography variant="body2" component="span" color="text.secondary">
            {f.id} · {f.area} · {whoText[f.who]} · weight {f.severity} of 3
          </Typography>
        </Typography>
        {f.own && (
          <Button loading={remove.isPending} onClick={() => remove.mutate(f.id)}>
            {f.stands_in ? 'Back to the catalogue’s' : 'Remove'}
          </Button>
        )}
        <Button variant="outlined" onClick={onAdapt}>
          Adapt
        </Button>
      </Box>
      <Failure error={remove.error} />
      {f.caution && (
        <Alert severity="warning" sx={{ mb: 1.5 }}>
          {f.caution}
        </Alert>
      )}
      <Box sx={{ display: 'grid', gridTemplateColumns: '96px 1fr', rowGap: 1, columnGap: 1 }}>
        <Line name="Measured by">
          {measure ? (
            <>
              {measure.name}: {measure.source}; {measure.sign}.
            </>
          ) : (
            'The coach’s eye and hand, from 1, a little, to 4, very much.'
          )}
        </Line>
        {f.band && measure && (
          <Line name="Fine">
            {bandText(f.band, measure.unit)}; a clear fault {clearText(f.band, measure.unit)}.
          </Line>
        )}
        <Line name="Why">{f.reason}</Line>
        {applies && <Line name="Where">{applies}</Line>}
        {f.scale.length > 0 && <Line name="Changes">{f.scale.map(scaleText).join(' ')}</Line>}
        {schools.length > 0 && (
          <Line name="Schools">
            {schools.map((s) => (
              <div key={s}>{s}</div>
            ))}
          </Line>
        )}
        {f.caused_by.length > 0 && (
          <Line name="May come from">{listed(f.caused_by.map((c) => to(c.fault)))}</Line>
        )}
        {effects.length > 0 && <Line name="May cause">{listed(effects.map((x) => to(x.id)))}</Line>}
        <Line name="Say">
          {roles.map(
            (role) =>
              f.cue[role] && (
                <Box key={role} sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
                  <RoleMark role={role} /> “{f.cue[role]}”
                </Box>
              ),
          )}
        </Line>
        <Line name="Do">
          <Box component="ol" sx={{ m: 0, pl: 2.5 }}>
            {f.ladder.map((d) => (
              <li key={d}>{d}</li>
            ))}
          </Box>
        </Line>
        <Line name="Target">{f.target}</Line>
      </Box>
    </Card>
  );
}
