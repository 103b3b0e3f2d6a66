import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import MenuItem from '@mui/material/MenuItem';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { usePeople } from '../api/hooks';
import { useChoosePractice, usePractice, usePracticeTime, useReportPractice } from '../api/plan';
import { Ladder } from '../shapes/Ladder';
import { RoleMark } from '../shapes/RoleMark';
import { Links } from '../sheet/Links';
import { Week } from '../sheet/Week';
import { Empty, Failure, Loaded } from '../shell/State';
import { day, plural, type Role } from '../words';

const days = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

const why: Record<Schemas['Why'], string> = {
  pain: 'it hurt; speak about it first',
  new_enough: 'two new things a week are enough',
  no_time: 'no minutes left for it',
};

export const howName: Record<Schemas['How'], string> = {
  fine: 'fine',
  hard: 'hard',
  pain: 'it hurt',
};

/** Minutes of each day of the week. */
function Minutes({ id, of }: { id: string; of: Schemas['PracticePlan'] }) {
  const save = usePracticeTime(id);
  const [typed, setTyped] = useState(of.wishes.minutes.map(String));
  const numbers = typed.map((t) => Math.max(0, Math.round(Number(t) || 0)));
  const changed = numbers.some((n, i) => n !== of.wishes.minutes[i]);
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(numbers);
      }}
      sx={{ display: 'flex', gap: 0.75, alignItems: 'center', flexWrap: 'wrap', mt: 1.5 }}
    >
      {days.map((d, i) => (
        <TextField
          key={d}
          label={d}
          type="number"
          value={typed[i] ?? ''}
          onChange={(e) => setTyped(typed.map((t, k) => (k === i ? e.target.value : t)))}
          sx={{ width: 64 }}
          slotProps={{ htmlInput: { min: 0, max: 240, style: { paddingRight: 2 } } }}
        />
      ))}
      <Button type="submit" variant="outlined" disabled={!changed} loading={save.isPending}>
        Plan anew
      </Button>
      <Failure error={save.error} />
    </Box>
  );
}

function Exercise({ p }: { p: Schemas['Practised'] }) {
  const choose = useChoosePractice();
  const report = useReportPractice();
  const c = p.correction;
  return (
    <Box sx={{ py: 1, borderTop: 1, borderColor: 'divider' }}>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <RoleMark role={c.role as Role} />
        <Typography sx={{ flex: 1, fontWeight: 700 }}>{p.name}</Typography>
        <Typography variant="body2" color="text.secondary">
          {c.practised ? 'in the week' : 'left out'}
        </Typography>
        <Switch
          checked={c.practised}
          onChange={(_, on) => choose.mutate({ id: c.id, practised: on })}
          slotProps={{ input: { 'aria-label': `Practise: ${p.name}` } }}
        />
      </Box>
      <Ladder steps={p.ladder} rung={p.rung} role={c.role as Role} />
      {p.reports.length > 0 && (
        <Typography variant="body2" color="text.secondary">
          {p.reports.map((r) => `${day(r.on)} ${howName[r.how]}`).join(' · ')}
        </Typography>
      )}
      {p.rung.stopped ? (
        <Alert
          severity="warning"
          sx={{ mt: 1 }}
          action={
            <Button color="inherit" onClick={() => choose.mutate({ id: c.id, cleared: true })}>
              Spoken about: go on
            </Button>
          }
        >
          It hurt. Stopped until you have spoken about it; pain that stays belongs to a doctor.
        </Alert>
      ) : (
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
          <Typography variant="body2" color="text.secondary">
            Practised today:
          </Typography>
          {(['fine', 'hard', 'pain'] as const).map((how) => (
            <Button
              key={how}
              aria-label={`${p.name}: ${howName[how]}`}
              onClick={() => report.mutate({ id: c.id, how })}
            >
              {howName[how]}
            </Button>
          ))}
        </Box>
      )}
      {p.caution && (
        <Typography variant="body2" sx={{ color: 'caution.main', fontWeight: 700 }}>
          Caution: {p.caution}
        </Typography>
      )}
      <Failure error={choose.error ?? report.error} />
    </Box>
  );
}

/** A person's practice week. */
export function PracticePage() {
  const { id } = useParams();
  const navigate = useNavigate();
  const people = usePeople();
  const who = id ?? people.data?.[0]?.id;
  const practice = usePractice(who);
  const person = people.data?.find((p) => p.id === who);
  if (people.data?.length === 0) {
    return <Empty title="Nobody yet.">Add people first.</Empty>;
  }
  return (
    <>
      <Box
        sx={{
          display: 'flex',
          gap: 1,
          alignItems: 'center',
          mb: 1.5,
          '@media print': { display: 'none' },
        }}
      >
        <TextField
          select
          label="Person"
          value={people.data ? (who ?? '') : ''}
          onChange={(e) => void navigate(`/plan/practice/${e.target.value}`)}
          sx={{ minWidth: 200 }}
        >
          {(people.data ?? []).map((p) => (
            <MenuItem key={p.id} value={p.id}>
              {p.name}
            </MenuItem>
          ))}
        </TextField>
        <Box sx={{ flex: 1 }} />
        <Button component="a" href={`/api/people/${who}/practice/file`} download>
          Calendar file
        </Button>
        <Button variant="outlined" component={Link} to={`/people/${who}/sheet`}>
          Sheet to print
        </Button>
      </Box>
      <Loaded of={practice}>
        {(p) =>
          p.exercises.length === 0 ? (
            <Empty title="Nothing to practise yet.">
              Confirm a finding on the Bench, and its drill can be practised.
            </Empty>
          ) : (
            <>
              <Card component="section" aria-label="The week" sx={{ p: 1.5, mb: 1.5 }}>
                <Typography variant="h2" gutterBottom>
                  {person?.name}: seven days from today
                </Typography>
                <Week
                  week={p.week}
                  things={p.exercises.map((e) => ({
                    id: e.correction.id,
                    name: e.name,
                    tempo: e.tempo ?? null,
                  }))}
                />
                {p.week.waiting.length > 0 && (
                  <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
                    Not in this week:{' '}
                    {p.week.waiting
                      .map((w) => {
                        const e = p.exercises.find((x) => x.correction.id === w.exercise);
                        return `${e?.name ?? ''} (${why[w.why]})`;
                      })
                      .join('; ')}
                    .
                  </Typography>
                )}
              </Card>
              <Box
                sx={{
                  display: 'grid',
                  gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 1.3fr) minmax(0, 1fr)' },
                  gap: 1.5,
                  alignItems: 'start',
                }}
              >
                <Card component="section" aria-label="What is practised" sx={{ p: 1.5 }}>
                  <Typography variant="h2" gutterBottom>
                    What is practised
                  </Typography>
                  {p.exercises.map((e) => (
                    <Exercise key={e.correction.id} p={e} />
                  ))}
                </Card>
                <Box sx={{ display: 'grid', gap: 1.5 }}>
                  <Card component="section" aria-label="Minutes" sx={{ p: 1.5 }}>
                    <Typography variant="h2" gutterBottom>
                      Minutes a day
                    </Typography>
                    <Minutes key={who} id={who ?? ''} of={p} />
                    <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
                      Short pieces, at most three a day; a step up after two fine days, down after a
                      hard one. Missed days need nothing: what was done longest ago comes first.
                    </Typography>
                  </Card>
                  <Card component="section" aria-label="Student’s page" sx={{ p: 1.5 }}>
                    <Typography variant="h2" gutterBottom>
                      Student’s page
                    </Typography>
                    <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
                      A private address for {person?.name ?? 'the student'}: what to do, the week,
                      and how it went. It opens without signing in, for {plural(30, 'day')}, until
                      you close it.
                    </Typography>
                    <Links
                      key={who}
                      kind="sheet"
                      person={who ?? ''}
                      days={30}
                      make="Make an address"
                    />
                  </Card>
                </Box>
              </Box>
            </>
          )
        }
      </Loaded>
    </>
  );
}
