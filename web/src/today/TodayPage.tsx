import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Chip from '@mui/material/Chip';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { useCatalogue, useCharts, useLook, useToday } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';
import { Stages } from '../takes/Stages';
import { day, fullDay, logged, plainReading, plural, type Role } from '../words';

function Section({ title, note, children }: { title: string; note?: string; children: ReactNode }) {
  return (
    <Card component="section" sx={{ p: 2, mb: 1.5 }} aria-label={title}>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', mb: 1 }}>
        <Typography variant="h2">{title}</Typography>
        <Typography variant="body2" color="text.secondary">
          {note}
        </Typography>
      </Box>
      {children}
    </Card>
  );
}

const row = {
  display: 'flex',
  alignItems: 'center',
  gap: 1.5,
  py: 1,
  borderTop: 1,
  borderColor: 'divider',
} as const;

function Waiting({ takes }: { takes: Schemas['Take'][] }) {
  const charts = useCharts();
  if (takes.length === 0) {
    return (
      <Typography color="text.secondary">
        Nothing waits. <Link to="/takes">Upload a clip</Link> to review the next take.
      </Typography>
    );
  }
  return takes.map((t) => {
    const chart = charts.data?.find((c) => c.id === t.chart);
    return (
      <Box key={t.id} sx={row}>
        <Box sx={{ flex: 1 }}>
          <Typography sx={{ fontWeight: 700 }}>
            {t.leader} &amp; {t.follower}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {chart ? `${chart.dance}: ${chart.name}` : 'Figure not named yet'} · {day(t.held_on)},{' '}
            {t.place}, take {t.number}
          </Typography>
        </Box>
        <Stages take={t} />
        <Typography variant="body2" sx={{ width: 130 }}>
          {t.open_findings > 0 ? plural(t.open_findings, 'finding') + ' to decide' : ''}
        </Typography>
        <Button variant="contained" component={Link} to={`/takes/${t.id}`}>
          Review
        </Button>
      </Box>
    );
  });
}

function Due({ due }: { due: Schemas['Correction'][] }) {
  const catalogue = useCatalogue();
  const look = useLook();
  const measureOf = (id: string) => catalogue.data?.faults.find((f) => f.id === id)?.measure ?? '';
  if (due.length === 0) {
    return <Typography color="text.secondary">No looks are due.</Typography>;
  }
  return (
    <>
      <Failure error={look.error} />
      {due.map((c) => (
        <Box key={c.id} sx={row}>
          <RoleMark role={c.role as Role} />
          <Box sx={{ flex: 1 }}>
            <Typography sx={{ fontWeight: 700 }}>
              <Link to={`/people/${c.person_id}`}>{c.person}</Link>:{' '}
              {catalogue.data?.faults.find((f) => f.id === c.fault)?.name ?? c.fault}
            </Typography>
            <Typography variant="body2" color="text.secondary">
              due {c.recheck_on ? day(c.recheck_on) : ''} · was {logged(c, measureOf(c.fault))} · “
              {c.cue}”
            </Typography>
          </Box>
          <Button variant="outlined" onClick={() => look.mutate({ id: c.id, fine: true })}>
            Fine
          </Button>
          <Button variant="outlined" onClick={() => look.mutate({ id: c.id, fine: false })}>
            Not yet
          </Button>
        </Box>
      ))}
    </>
  );
}

function Notices({ of, none }: { of: Schemas['Notice'][]; none: string }) {
  if (of.length === 0) return <Typography color="text.secondary">{none}</Typography>;
  return of.map((n) => (
    <Box key={`${n.person}${n.of.fault}${n.of.chart}`} sx={row}>
      <RoleMark role={n.of.role} hollow={n.of.progress.status === 'kept'} />
      <Box sx={{ flex: 1 }}>
        <Typography>
          <Link to={`/progress/${n.of.person_id}?fault=${n.of.fault}`}>{n.person}</Link>:{' '}
          {n.of.name}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          now {plainReading(n.of.measure, n.of.progress.now.value, n.of.unit)},{' '}
          {n.of.progress.against === 'when_it_held' ? 'had held at' : 'began at'}{' '}
          {plainReading(n.of.measure, n.of.progress.before.value, n.of.unit)}
        </Typography>
      </Box>
    </Box>
  ));
}

/** What waits, what is due, who slipped back and what is kept. */
export function TodayPage() {
  const today = useToday();
  return (
    <Loaded of={today}>
      {(t) => (
        <Place
          title={t.studio.name}
          note={fullDay(t.day)}
          action={
            t.days_left != null && (
              <Chip
                variant="outlined"
                label={`${t.studio.event} ${t.days_left === 0 ? 'is today' : `in ${plural(t.days_left, 'day')}`}`}
              />
            )
          }
        >
          {t.hurt.length > 0 && (
            <Alert severity="warning" sx={{ mb: 1.5 }}>
              It hurt in practice; the drill is stopped until you have spoken about it:{' '}
              {t.hurt.map((h, i) => (
                <span key={h.correction_id}>
                  {i > 0 && '; '}
                  <Link to={`/plan/practice/${h.person_id}`}>{h.person}</Link>, {h.name}
                </span>
              ))}
              .
            </Alert>
          )}
          {t.lesson && (
            <Section title="Next lesson" note={fullDay(t.lesson.held_on)}>
              <Box sx={row}>
                <Box sx={{ flex: 1 }}>
                  <Typography sx={{ fontWeight: 700 }}>
                    {t.lesson.begins_at?.slice(0, 5)} {t.with.join(', ')}
                  </Typography>
                  <Typography variant="body2" color="text.secondary">
                    {plural(t.lesson.minutes, 'minute')} ·{' '}
                    {plural(t.lesson.plan.blocks.filter((b) => b.doing === 'look').length, 'look')},{' '}
                    {plural(
                      t.lesson.plan.blocks.filter((b) => b.doing === 'work').length,
                      'correction',
                    )}{' '}
                    to work on
                  </Typography>
                </Box>
                <Button variant="contained" component={Link} to={`/plan/lessons/${t.lesson.id}`}>
                  Open
                </Button>
              </Box>
            </Section>
          )}
          <Section title="Takes to review" note={plural(t.waiting.length, 'take')}>
            <Waiting takes={t.waiting} />
          </Section>
          <Section title="Look again" note={`${t.due.length} due`}>
            <Due due={t.due} />
          </Section>
          <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1.5 }}>
            <Section title="Slipped back">
              <Notices of={t.slipped} none="Nobody slipped back." />
            </Section>
            <Section title="Kept" note="still fine three weeks on">
              <Notices of={t.kept} none="Nothing is kept for three weeks yet." />
            </Section>
          </Box>
        </Place>
      )}
    </Loaded>
  );
}
