import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import FormGroup from '@mui/material/FormGroup';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useCouples } from '../api/hooks';
import { useCalendar, useKeepLesson, useProposeLesson, useRemoveLesson } from '../api/plan';
import { Empty, Failure, Loaded } from '../shell/State';
import { addDays, fullDay, plural, todayIso } from '../words';
import { Blocks } from './Blocks';

/** Lessons to come, and a new one. */
export function LessonsPage() {
  const calendar = useCalendar();
  const couples = useCouples();
  const remove = useRemoveLesson();
  const name = (id: string) => {
    const c = couples.data?.find((x) => x.id === id);
    return c ? `${c.leader} & ${c.follower}` : '';
  };
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 1fr) minmax(0, 1.4fr)' },
        gap: 1.5,
        alignItems: 'start',
      }}
    >
      <Card component="section" aria-label="Lessons" sx={{ p: 1.5 }}>
        <Typography variant="h2" gutterBottom>
          Lessons
        </Typography>
        <Failure error={remove.error} />
        <Loaded of={calendar}>
          {({ lessons }) =>
            lessons.length === 0 ? (
              <Typography color="text.secondary">
                None yet. Say beside this how long you have and who comes.
              </Typography>
            ) : (
              lessons.map((l) => (
                <Box key={l.id} sx={{ py: 1, borderTop: 1, borderColor: 'divider' }}>
                  <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
                    <Typography sx={{ flex: 1, fontWeight: 700 }}>
                      {fullDay(l.held_on)}
                      {l.begins_at && `, ${l.begins_at.slice(0, 5)}`}
                    </Typography>
                    <Button variant="outlined" component={Link} to={`/plan/lessons/${l.id}`}>
                      {l.ended ? 'Look back' : 'Open'}
                    </Button>
                    <Button onClick={() => remove.mutate(l.id)}>Remove</Button>
                  </Box>
                  <Typography variant="body2" color="text.secondary">
                    {plural(l.minutes, 'minute')}: {l.couples.map(name).join(', ')}
                  </Typography>
                </Box>
              ))
            )
          }
        </Loaded>
      </Card>
      <NewLesson couples={couples.data ?? []} name={name} />
    </Box>
  );
}

function NewLesson({
  couples,
  name,
}: {
  couples: Schemas['Couple'][];
  name: (id: string) => string;
}) {
  const navigate = useNavigate();
  const propose = useProposeLesson();
  const keep = useKeepLesson();
  const [held, setHeld] = useState(addDays(todayIso(), 1));
  const [begins, setBegins] = useState('19:00');
  const [minutes, setMinutes] = useState('60');
  const [who, setWho] = useState<string[]>([]);
  const input: Schemas['LessonInput'] = {
    held_on: held,
    begins_at: begins ? `${begins}:00` : null,
    minutes: Math.max(0, Math.round(Number(minutes) || 0)),
    couples: who,
  };
  const change = (f: () => void) => {
    f();
    propose.reset();
  };
  if (couples.length === 0) {
    return (
      <Card sx={{ p: 1.5 }}>
        <Empty title="No couples yet.">
          <Link to="/people">Add people and couples</Link> first.
        </Empty>
      </Card>
    );
  }
  return (
    <Card component="section" aria-label="A new lesson" sx={{ p: 1.5 }}>
      <Typography variant="h2" gutterBottom>
        A new lesson
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, my: 1.5, flexWrap: 'wrap' }}>
        <TextField
          label="Day"
          type="date"
          value={held}
          onChange={(e) => change(() => setHeld(e.target.value))}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          label="Begins"
          type="time"
          value={begins}
          onChange={(e) => change(() => setBegins(e.target.value))}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          label="Minutes"
          type="number"
          value={minutes}
          onChange={(e) => change(() => setMinutes(e.target.value))}
          sx={{ width: 100 }}
        />
      </Box>
      <FormGroup row aria-label="Who comes">
        {couples.map((c) => (
          <FormControlLabel
            key={c.id}
            control={
              <Checkbox
                checked={who.includes(c.id)}
                onChange={(_, on) =>
                  change(() => setWho(on ? [...who, c.id] : who.filter((x) => x !== c.id)))
                }
              />
            }
            label={name(c.id)}
          />
        ))}
      </FormGroup>
      <Box sx={{ display: 'flex', gap: 1, mt: 1 }}>
        <Button
          variant={propose.data ? 'outlined' : 'contained'}
          disabled={who.length === 0 || !held}
          loading={propose.isPending}
          onClick={() => propose.mutate(input)}
        >
          Plan it
        </Button>
        {propose.data && (
          <Button
            variant="contained"
            loading={keep.isPending}
            onClick={() =>
              keep.mutate(input, {
                onSuccess: (v) => v.lesson && void navigate(`/plan/lessons/${v.lesson.id}`),
              })
            }
          >
            Keep this lesson
          </Button>
        )}
      </Box>
      <Failure error={propose.error ?? keep.error} />
      {propose.data && (
        <Box sx={{ mt: 1.5 }}>
          <Blocks plan={propose.data.plan} about={propose.data.about} name={name} />
        </Box>
      )}
    </Card>
  );
}
