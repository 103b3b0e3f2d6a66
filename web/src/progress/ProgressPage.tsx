import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { usePeople, useProgress, useToday } from '../api/hooks';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { plural } from '../words';
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
  const faults = (progress.data?.faults ?? []).filter((f) => f.progress.status !== 'never_a_fault');
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
                  <FaultGrid
                    faults={faults}
                    chosen={chosen}
                    onChoose={(f) => setSearch({ fault: key(f) }, { replace: true })}
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
