import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { currentToken, Refused, type Problem, type Schemas } from '../api/client';
import { useChangePassword } from '../api/hooks';
import { useRepeatability } from '../api/plan';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';
import { day, plural, quantity } from '../words';
import { Bin } from './Bin';

/** Words for an intraclass correlation: Koo, T. K. & Li, M. Y. (2016), J. Chiropr. Med. 15. */
function agreementWord(icc: number | null | undefined) {
  if (icc == null) return 'not known';
  const word = icc >= 0.9 ? 'very well' : icc >= 0.75 ? 'well' : icc >= 0.5 ? 'fairly' : 'poorly';
  return `${icc.toFixed(2)}, ${word}`;
}

/** How well the coach's own marking repeats. */
function Repeat({ of }: { of: Schemas['OwnErrors'] }) {
  const [take, setTake] = useState('');
  const chosen = of.takes.find((t) => t.id === take) ?? of.takes[0];
  return (
    <>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        Mark four frames again without seeing your first marks. How far both readings lie apart is
        part of every “is it better?” from then on.
      </Typography>
      {of.takes.length === 0 ? (
        <Typography>
          Mark the bodies of a take on the <Link to="/takes">Bench</Link> first.
        </Typography>
      ) : (
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1.5, mt: 1.5 }}>
          <TextField
            select
            label="Take"
            value={chosen?.id ?? ''}
            onChange={(e) => setTake(e.target.value)}
            sx={{ minWidth: 260 }}
          >
            {of.takes.map((t) => (
              <MenuItem key={t.id} value={t.id}>
                {t.leader} &amp; {t.follower}, {day(t.held_on)}
              </MenuItem>
            ))}
          </TextField>
          <Button variant="contained" component={Link} to={`/settings/repeat/${chosen?.id}`}>
            Mark four frames again
          </Button>
        </Box>
      )}
      {of.measures.length > 0 && (
        <Box
          component="table"
          sx={{
            borderCollapse: 'collapse',
            fontSize: 13,
            '& td, & th': { textAlign: 'left', py: 0.25, pr: 3, fontWeight: 400 },
            '& th': { color: 'text.secondary' },
          }}
        >
          <thead>
            <tr>
              <th scope="col">Measure</th>
              <th scope="col">Error of one reading</th>
              <th scope="col">Tells dancers apart</th>
              <th scope="col">Second time</th>
              <th scope="col">Readings</th>
            </tr>
          </thead>
          <tbody>
            {of.measures.map((m) => (
              <tr key={m.measure}>
                <td>{m.name}</td>
                <td>± {quantity(m.repeats.sem, m.unit)}</td>
                <td>{agreementWord(m.repeats.icc)}</td>
                <td>
                  {Math.abs(m.repeats.shift) < m.repeats.sem
                    ? 'as the first'
                    : `${quantity(Math.abs(m.repeats.shift), m.unit)} ${m.repeats.shift > 0 ? 'more' : 'less'}`}
                </td>
                <td>{m.repeats.readings}</td>
              </tr>
            ))}
          </tbody>
        </Box>
      )}
      {of.sittings.length > 0 && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          {of.sittings.map((s) => `${day(s.on)}: ${plural(s.readings, 'reading')}`).join(' · ')}
        </Typography>
      )}
    </>
  );
}

/** The whole studio out and in. */
function Archive() {
  const client = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const [done, setDone] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const bring = async (file: File) => {
    setBusy(true);
    setError(null);
    setDone(false);
    try {
      const answer = await fetch('/api/archive', {
        method: 'POST',
        body: file,
        headers: { 'x-csrf-token': currentToken(), 'content-type': 'application/zip' },
      });
      if (!answer.ok) {
        const problem = (await answer.json().catch(() => undefined)) as Problem | undefined;
        throw new Refused(problem, answer.status);
      }
      setDone(true);
      await client.invalidateQueries();
    } catch (e) {
      setError(e instanceof Refused ? e : new Refused(undefined, 0));
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        Everything of this studio in one file of open formats: JSON with its schema, CSV tables,
        subtitles for every clip, the calendar. It opens again in an empty studio.
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button variant="outlined" component="a" href="/api/archive" download>
          Export without films
        </Button>
        <Button variant="outlined" component="a" href="/api/archive?media=true" download>
          Export with films
        </Button>
        <Button loading={busy} onClick={() => input.current?.click()}>
          Import into this studio
        </Button>
        <input
          ref={input}
          type="file"
          accept=".zip,application/zip"
          hidden
          aria-label="Archive"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void bring(file);
            e.target.value = '';
          }}
        />
      </Box>
      {done && <Typography role="status">Everything is in.</Typography>}
      <Failure error={error} />
    </>
  );
}

/** The own password. */
function Password() {
  const change = useChangePassword();
  const [given, setGiven] = useState({ old: '', new: '' });
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate(given, { onSuccess: () => setGiven({ old: '', new: '' }) });
      }}
    >
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1.5 }}>
        Ten characters or more; a sentence is good. Whoever else is signed in with this account is
        signed out.
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'center' }}>
        <TextField
          label="Present password"
          type="password"
          autoComplete="current-password"
          value={given.old}
          onChange={(e) => setGiven({ ...given, old: e.target.value })}
        />
        <TextField
          label="New password"
          type="password"
          autoComplete="new-password"
          value={given.new}
          onChange={(e) => setGiven({ ...given, new: e.target.value })}
        />
        <Button
          type="submit"
          variant="outlined"
          loading={change.isPending}
          disabled={given.old === '' || given.new === ''}
        >
          Change the password
        </Button>
      </Box>
      {change.isSuccess && <Typography role="status">The password is changed.</Typography>}
      <Failure error={change.error} />
    </Box>
  );
}

/** What concerns the coach and the studio itself. */
export function SettingsPage() {
  const repeat = useRepeatability();
  return (
    <Place title="Settings">
      <Card
        component="section"
        aria-label="Your own repeatability"
        sx={{ p: 1.5, mb: 1.5, overflowX: 'auto' }}
      >
        <Typography variant="h2" gutterBottom>
          Your own repeatability
        </Typography>
        <Loaded of={repeat}>{(r) => <Repeat of={r} />}</Loaded>
      </Card>
      <Card component="section" aria-label="Agreement" sx={{ p: 1.5, mb: 1.5 }}>
        <Typography variant="h2" gutterBottom>
          Schools, bands and agreement
        </Typography>
        <Typography variant="body2">
          The <Link to="/faults">catalogue</Link> holds the bands and your own entries, its{' '}
          <Link to="/faults/agreement">agreement</Link> how often you and the tool say the same.
        </Typography>
      </Card>
      <Card component="section" aria-label="Account" sx={{ p: 1.5, mb: 1.5 }}>
        <Typography variant="h2" gutterBottom>
          Account
        </Typography>
        <Password />
      </Card>
      <Card component="section" aria-label="Bin" sx={{ p: 1.5, mb: 1.5 }}>
        <Typography variant="h2" gutterBottom>
          Bin
        </Typography>
        <Bin />
      </Card>
      <Card component="section" aria-label="Export and backup" sx={{ p: 1.5 }}>
        <Typography variant="h2" gutterBottom>
          Export and backup
        </Typography>
        <Archive />
      </Card>
    </Place>
  );
}
