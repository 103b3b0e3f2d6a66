import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useDeferredValue, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import {
  useCatalogue,
  useCharts,
  useCorrectionHistory,
  useCouples,
  usePeople,
  useStudioLog,
  type LogQuery,
} from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Empty, Loaded } from '../shell/State';
import { day, logged, plural, type Role } from '../words';
import { FaultsPlace } from './FaultsPlace';

const states: Record<Schemas['LogState'], string> = {
  new: 'not looked at again',
  working: 'being worked on',
  holding: 'holding',
};

/** Every correction of the studio, to be searched. */
export function LogPage() {
  const [search, setSearch] = useSearchParams();
  const people = usePeople();
  const couples = useCouples();
  const charts = useCharts();
  const catalogue = useCatalogue();
  const value = (name: string) => search.get(name) ?? '';
  const query = useDeferredValue(
    Object.fromEntries([...search].filter(([, v]) => v)) as unknown as LogQuery,
  );
  const log = useStudioLog(query);
  const set = (name: string, to: string) =>
    setSearch(
      (was) => {
        if (to) was.set(name, to);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );
  const choice = (name: keyof LogQuery, label: string, options: [string, string][]) => (
    <TextField
      select
      label={label}
      value={value(name)}
      onChange={(e) => set(name, e.target.value)}
      sx={{ width: 150 }}
    >
      <MenuItem value="">any</MenuItem>
      {options.map(([id, text]) => (
        <MenuItem key={id} value={id}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  const once = (all: string[]) => [...new Set(all)].sort().map((x): [string, string] => [x, x]);
  return (
    <FaultsPlace>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', mb: 1.5 }}>
        <TextField
          label="Search"
          value={value('q')}
          onChange={(e) => set('q', e.target.value)}
          sx={{ width: 200 }}
        />
        {choice(
          'person',
          'Person',
          (people.data ?? []).map((p) => [p.id, p.name]),
        )}
        {choice(
          'couple',
          'Couple',
          (couples.data ?? []).map((c) => [c.id, `${c.leader} & ${c.follower}`]),
        )}
        {choice('role', 'Role', [
          ['leader', 'leader'],
          ['follower', 'follower'],
        ])}
        {choice('area', 'Area', once((catalogue.data?.faults ?? []).map((f) => f.area)))}
        {choice('dance', 'Dance', once((charts.data ?? []).map((c) => c.dance)))}
        {choice('state', 'Where it stands', Object.entries(states))}
      </Box>
      <Loaded of={log}>
        {(all) =>
          all.length === 0 ? (
            <Empty title="No such correction.">
              Corrections come from findings confirmed on the Bench.
            </Empty>
          ) : (
            <>
              <Typography variant="body2" color="text.secondary" role="status" sx={{ mb: 1 }}>
                {plural(all.length, 'correction')}
              </Typography>
              {all.map((c) => (
                <Entry key={c.id} c={c} />
              ))}
            </>
          )
        }
      </Loaded>
    </FaultsPlace>
  );
}

function Entry({ c }: { c: Schemas['Logged'] }) {
  const catalogue = useCatalogue();
  const [open, setOpen] = useState(false);
  const history = useCorrectionHistory(c.id, open);
  const measure = catalogue.data?.faults.find((f) => f.id === c.fault)?.measure;
  return (
    <Card component="article" sx={{ p: 1.5, mb: 1 }}>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <RoleMark role={c.role as Role} />
        <Typography variant="h3" component="h2" sx={{ flex: 1 }}>
          <Link to={`/people/${c.person_id}`}>{c.person}</Link>: {c.name}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          {states[c.state]}
          {c.recheck_on && `, look again ${day(c.recheck_on)}`}
        </Typography>
      </Box>
      <Typography variant="body2">
        “{c.cue}” — {c.drill}
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
          {day(c.seen_on)}, {c.dance} {c.figure}
          {c.count ? `, at ${c.count}` : ''}: {logged(c, measure)} ·{' '}
          <Link to={`/takes/${c.take_id}`}>the take</Link>
        </Typography>
        {c.version > 1 && (
          <Button onClick={() => setOpen(!open)} aria-expanded={open}>
            What it said before
          </Button>
        )}
      </Box>
      {open &&
        history.data?.map((was) => (
          <Typography key={was.version} variant="body2" color="text.secondary">
            until {day(was.at.slice(0, 10))}: “{was.cue}” — {was.drill}
            {was.recheck_on && `, look again ${day(was.recheck_on)}`}
          </Typography>
        ))}
    </Card>
  );
}
