import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Chip from '@mui/material/Chip';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useCatalogue, useCharts, useLog, usePerson } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { day, logged, plural, quantity, type Role } from '../words';
import { CorrectionDialog } from './CorrectionDialog';
import { EraseDialog } from './EraseDialog';

function Entry({ c, onChange }: { c: Schemas['Correction']; onChange: () => void }) {
  const catalogue = useCatalogue();
  const charts = useCharts();
  const fault = catalogue.data?.faults.find((f) => f.id === c.fault);
  const chart = charts.data?.find((x) => x.id === c.chart);
  return (
    <Card component="article" sx={{ p: 2, mb: 1.25 }}>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
        <RoleMark role={c.role as Role} />
        <Typography variant="h2" sx={{ flex: 1 }}>
          {fault?.name ?? c.fault}
        </Typography>
        {c.recheck_on && (
          <Chip size="small" variant="outlined" label={`look again ${day(c.recheck_on)}`} />
        )}
        <Button onClick={onChange} aria-label={`Change ${fault?.name ?? c.fault}`}>
          Change
        </Button>
      </Box>
      <Typography variant="body2" color="text.secondary">
        seen {day(c.seen_on)} in {chart ? `${chart.dance}, ${chart.name}` : c.chart}
        {c.count ? `, most at ${c.count}` : ''}: {logged(c, fault?.measure)}
        {c.unit !== 'grade' && `, ${c.showing} of ${c.measured} repetitions`} ·{' '}
        <Link to={`/takes/${c.take_id}`}>the take</Link>
        {c.looks > 0 && ` · ${plural(c.looks, 'look')} since, ${c.fine_looks} fine`}
      </Typography>
      <Box sx={{ display: 'grid', gridTemplateColumns: '64px 1fr', rowGap: 0.5, mt: 1 }}>
        <Typography variant="body2" color="text.secondary">
          Say
        </Typography>
        <Typography variant="body2">“{c.cue}”</Typography>
        <Typography variant="body2" color="text.secondary">
          Do
        </Typography>
        <Typography variant="body2">
          {c.drill} (step {c.drill_step}
          {fault ? ` of ${fault.ladder.length}` : ''})
        </Typography>
        <Typography variant="body2" color="text.secondary">
          Target
        </Typography>
        <Typography variant="body2">{c.target}</Typography>
      </Box>
      {c.caution && (
        <Alert severity="warning" sx={{ mt: 1 }}>
          {c.caution}
        </Alert>
      )}
    </Card>
  );
}

/** A person and the log of their corrections. */
export function PersonPage() {
  const { id = '' } = useParams();
  const person = usePerson(id);
  const log = useLog(id);
  const [erasing, setErasing] = useState(false);
  const [changing, setChanging] = useState<Schemas['Correction'] | null>(null);
  return (
    <Loaded of={person}>
      {(p) => (
        <Place
          title={p.name}
          note={quantity(p.height, 'metres')}
          action={
            <>
              <Button onClick={() => setErasing(true)}>Erase…</Button>
              <Button variant="outlined" component={Link} to={`/progress/${p.id}`}>
                Progress
              </Button>
            </>
          }
        >
          {p.note && (
            <Alert severity="warning" sx={{ mb: 1.5 }}>
              {p.note}
            </Alert>
          )}
          <Typography variant="h2" sx={{ mb: 1 }}>
            Log
          </Typography>
          <Loaded of={log}>
            {(all) =>
              all.length === 0 ? (
                <Empty title="No corrections yet.">
                  Confirm a finding on the Bench and it is written here.
                </Empty>
              ) : (
                all.map((c) => <Entry key={c.id} c={c} onChange={() => setChanging(c)} />)
              )
            }
          </Loaded>
          {erasing && <EraseDialog person={p} onClose={() => setErasing(false)} />}
          {changing && <CorrectionDialog was={changing} onClose={() => setChanging(null)} />}
        </Place>
      )}
    </Loaded>
  );
}
