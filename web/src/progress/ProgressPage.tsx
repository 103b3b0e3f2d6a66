import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import type { Schemas } from '../api/client';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { useCharts, usePeople, useProgress, useToday } from '../api/hooks';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { plural, statusName } from '../words';
import { Answer } from './Answer';
import { FaultGrid } from './FaultGrid';
import { TrendChart } from './TrendChart';

/** Is it better? One person's faults over their takes. */
export function ProgressPage() {
  const { id } = useParams();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const people = usePeople();
  const who = id ?? people.data?.[0]?.id;
  const progress = useProgress(who);
  const today = useToday();
  const key = (f: { fault: string; chart: string; partner: string }) =>
    `${f.fault} ${f.chart} ${f.partner}`;
  const charts = useCharts();
  const shown = (progress.data?.faults ?? []).filter((f) => f.progress.status !== 'never_a_fault');
  const [figure, partner, status] = ['figure', 'partner', 'status'].map((k) => search.get(k) ?? '');
  const faults = shown.filter(
    (f) =>
      (!figure || f.chart === figure) &&
      (!partner || f.partner === partner) &&
      (!status || f.progress.status === status),
  );
  const wanted = search.get('fault');
  const chosen =
    faults.find((f) => key(f) === wanted) ?? faults.find((f) => f.fault === wanted) ?? faults[0];
  const left = today.data?.days_left;
  return (
    <Place
      title="Progress"
      note={
        chosen &&
        `with ${chosen.partner} · ${plural(chosen.takes.length, 'take')}${left != null ? ` · ${today.data?.studio.event} in ${plural(left, 'day')}` : ''}`
      }
      action={
        <>
          <Button
            onClick={() => window.print()}
            sx={{ '@media print': { display: 'none' } }}
            disabled={!chosen}
          >
            Print
          </Button>
          <TextField
            select
            label="Person"
            value={people.data ? (who ?? '') : ''}
            onChange={(e) => void navigate(`/progress/${e.target.value}`)}
            sx={{ minWidth: 200 }}
          >
            {(people.data ?? []).map((p) => (
              <MenuItem key={p.id} value={p.id}>
                {p.name}
              </MenuItem>
            ))}
          </TextField>
        </>
      }
    >
      {people.data?.length === 0 ? (
        <Empty title="Nobody yet.">Add people, then review their takes.</Empty>
      ) : (
        <Loaded of={progress}>
          {() =>
            chosen ? (
              <>
                <Card
                  component="section"
                  aria-label="What is better, what is not"
                  sx={{ p: 1.5, mb: 1.5 }}
                >
                  <Filters
                    of={shown}
                    names={(id) => charts.data?.find((c) => c.id === id)?.name ?? id}
                    values={{ figure, partner, status }}
                    onChange={(name, value) =>
                      setSearch(
                        (was) => {
                          if (value) was.set(name, value);
                          else was.delete(name);
                          was.delete('fault');
                          return was;
                        },
                        { replace: true },
                      )
                    }
                  />
                  <FaultGrid
                    faults={faults}
                    chosen={chosen}
                    onChoose={(f) =>
                      setSearch(
                        (was) => {
                          was.set('fault', key(f));
                          return was;
                        },
                        { replace: true },
                      )
                    }
                  />
                </Card>
                <Box
                  sx={{
                    display: 'grid',
                    gridTemplateColumns: 'minmax(0, 2fr) minmax(0, 1fr)',
                    gap: 1.5,
                  }}
                >
                  <Card component="section" aria-label="Trend" sx={{ p: 1.5 }}>
                    <TrendChart of={chosen} />
                  </Card>
                  <Card component="section" aria-label="The answer" sx={{ p: 1.5 }}>
                    <Answer of={chosen} />
                  </Card>
                </Box>
              </>
            ) : shown.length > 0 ? (
              <Empty title="Nothing of that kind.">
                <Button onClick={() => setSearch({}, { replace: true })}>Show everything</Button>
              </Empty>
            ) : (
              <Empty title="No fault has shown yet.">
                Mark a take on the Bench; what lies outside its fine band is followed here.
              </Empty>
            )
          }
        </Loaded>
      )}
    </Place>
  );
}

type Shown = Schemas['FaultProgress'];

/** What of a person's faults is shown; only where there is a choice. */
function Filters({
  of,
  names,
  values,
  onChange,
}: {
  of: Shown[];
  names: (figure: string) => string;
  values: { figure?: string; partner?: string; status?: string };
  onChange: (name: string, value: string) => void;
}) {
  const distinct = (pick: (f: Shown) => string) => [...new Set(of.map(pick))].sort();
  const fields: [keyof typeof values, string, string[], (v: string) => string][] = [
    ['figure', 'Figure', distinct((f) => f.chart), names],
    ['partner', 'Partner', distinct((f) => f.partner), (v) => v],
    [
      'status',
      'Status',
      distinct((f) => f.progress.status),
      (v) => statusName(v as Schemas['Status']),
    ],
  ];
  return (
    <Box sx={{ display: 'flex', gap: 1, mb: 1, '@media print': { display: 'none' } }}>
      {fields
        .filter(([, , all]) => all.length > 1)
        .map(([name, label, all, say]) => (
          <TextField
            key={name}
            select
            label={label}
            value={values[name] ?? ''}
            onChange={(e) => onChange(name, e.target.value)}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            sx={{ minWidth: 150 }}
          >
            <MenuItem value="">all</MenuItem>
            {all.map((v) => (
              <MenuItem key={v} value={v}>
                {say(v)}
              </MenuItem>
            ))}
          </TextField>
        ))}
    </Box>
  );
}
