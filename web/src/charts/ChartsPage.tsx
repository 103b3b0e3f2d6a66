import Add from '@mui/icons-material/AddOutlined';
import Upload from '@mui/icons-material/FileUploadOutlined';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Chip from '@mui/material/Chip';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMemo, useRef, useState } from 'react';
import { Link as To, useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useCharts, useImportCharts } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Empty, Failure, Loaded } from '../shell/State';
import { eighths, plural } from '../words';
import { ChartsPlace } from './ChartsPlace';
import { spoken } from './words';

type Card = Schemas['ChartCard'];

const turnChoices = {
  none: 'nobody turns',
  leader: 'leader turns',
  follower: 'follower turns',
  both: 'both turn',
  whole: 'a whole turn or more one way',
} as const;
type Turns = keyof typeof turnChoices;

function turning(card: Card, which: Turns) {
  const [l, f] = (card.facts?.ledger ?? []).map((x) => x.turned > 0);
  switch (which) {
    case 'none':
      return !l && !f;
    case 'leader':
      return l && !f;
    case 'follower':
      return f && !l;
    case 'both':
      return l && f;
    case 'whole':
      return card.facts?.ledger.some((x) => Math.abs(x.streak) >= 8) ?? false;
  }
}

const handChoices: Record<Schemas['Handhold'], string> = {
  one_hand: 'one hand',
  two_hands: 'two hands',
  same_hands: 'same hand to same hand',
  embrace: 'an arm round the body',
  none: 'nothing held',
};

function sorted<T>(values: T[]) {
  return [...new Set(values)].sort();
}

/** Every figure, to be searched. */
export function ChartsPage() {
  const charts = useCharts();
  const [search, setSearch] = useSearchParams();
  const add = useImportCharts();
  const file = useRef<HTMLInputElement>(null);
  const [unread, setUnread] = useState<Error | null>(null);
  const value = (name: string) => search.get(name) ?? '';
  const set = (name: string, to: string) =>
    setSearch(
      (was) => {
        if (to) was.set(name, to);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );

  const choice = (name: string, label: string, options: [string, string][], width: number) => (
    <TextField
      select
      label={label}
      value={value(name)}
      onChange={(e) => set(name, e.target.value)}
      sx={{ width }}
    >
      <MenuItem value="">any</MenuItem>
      {options.map(([v, text]) => (
        <MenuItem key={v} value={v}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );

  const read = async (chosen: File | undefined) => {
    setUnread(null);
    if (!chosen) return;
    if (chosen.size > 2_000_000) {
      setUnread(new Error('The file is larger than 2 MB. Import fewer figures at a time.'));
      return;
    }
    add.mutate(await chosen.text());
  };

  return (
    <ChartsPlace
      action={
        <>
          <input
            ref={file}
            type="file"
            accept=".chart,.txt,.json"
            hidden
            aria-label="File with figures"
            onChange={(e) => {
              void read(e.target.files?.[0]);
              e.target.value = '';
            }}
          />
          <Button
            startIcon={<Upload />}
            loading={add.isPending}
            onClick={() => file.current?.click()}
          >
            Import
          </Button>
          <Button variant="contained" startIcon={<Add />} component={To} to="/charts/new">
            New figure
          </Button>
        </>
      }
    >
      <Failure error={unread ?? add.error} />
      {add.data && <Imported ids={add.data.ids} />}
      <Loaded of={charts}>
        {(all) => {
          const needle = value('text').toLowerCase();
          const found = all.filter(
            (c) =>
              `${c.name} ${c.dance} ${c.about} ${c.id}`.toLowerCase().includes(needle) &&
              (!value('dance') || c.dance === value('dance')) &&
              (!value('position') ||
                c.facts?.start === value('position') ||
                c.facts?.end === value('position')) &&
              (!value('hands') ||
                c.facts?.handholds.includes(value('hands') as Schemas['Handhold'])) &&
              (!value('turns') || turning(c, value('turns') as Turns)),
          );
          return (
            <>
              <Box
                role="search"
                aria-label="Figures"
                sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1.5, mt: 0.5 }}
              >
                <TextField
                  label="Name or words"
                  type="search"
                  value={value('text')}
                  onChange={(e) => set('text', e.target.value)}
                  sx={{ flex: 1 }}
                />
                {choice(
                  'dance',
                  'Dance',
                  sorted(all.map((c) => c.dance)).map((d) => [d, d]),
                  190,
                )}
                {choice(
                  'position',
                  'Position at an end',
                  sorted(all.flatMap((c) => (c.facts ? [c.facts.start, c.facts.end] : []))).map(
                    (p) => [p, spoken(p)],
                  ),
                  180,
                )}
                {choice('hands', 'Hands at an end', Object.entries(handChoices), 180)}
                {choice('turns', 'Turns', Object.entries(turnChoices), 180)}
                <Typography
                  variant="body2"
                  color="text.secondary"
                  role="status"
                  sx={{ width: 84, textAlign: 'right' }}
                >
                  {plural(found.length, 'figure')}
                </Typography>
              </Box>
              {found.length === 0 ? (
                <Empty title="No figure is like that.">
                  <Button onClick={() => setSearch({}, { replace: true })}>Show all figures</Button>
                </Empty>
              ) : (
                <Figures cards={found} />
              )}
            </>
          );
        }}
      </Loaded>
    </ChartsPlace>
  );
}

function Imported({ ids }: { ids: string[] }) {
  const [seen, setSeen] = useState<string[]>();
  if (seen === ids) return null;
  return (
    <Alert severity="success" onClose={() => setSeen(ids)} sx={{ mb: 1 }}>
      {plural(ids.length, 'figure')} kept:{' '}
      {ids.map((id, i) => (
        <span key={id}>
          {i > 0 && ', '}
          <Link component={To} to={`/charts/figure/${id}`} color="inherit">
            {id}
          </Link>
        </span>
      ))}
    </Alert>
  );
}

function Turned({ ledger }: { ledger: Schemas['Ledger'][] | undefined }) {
  return (['leader', 'follower'] as const).map((role, r) => {
    const l = ledger?.[r];
    if (!l || l.turned === 0) return null;
    return (
      <Box
        key={role}
        sx={{ display: 'flex', alignItems: 'center', gap: 0.5, whiteSpace: 'nowrap' }}
      >
        <RoleMark role={role} />
        {l.total ? eighths(l.total) : 'there and back'}
      </Box>
    );
  });
}

function between(from: string[], to: string[]) {
  const words = (holds: string[]) => (holds.length ? holds.join(', ') : 'none');
  const [a, b] = [words(from), words(to)];
  return a === b ? a : `${a} → ${b}`;
}

function Figures({ cards }: { cards: Card[] }) {
  const groups = useMemo(() => {
    const by = new Map<string, Card[]>();
    for (const c of cards) by.set(c.dance, [...(by.get(c.dance) ?? []), c]);
    return [...by].sort(([a], [b]) => a.localeCompare(b));
  }, [cards]);
  return (
    <Card>
      <Table aria-label="Figures" sx={{ '& td, & th': { verticalAlign: 'top' } }}>
        <TableHead>
          <TableRow>
            <TableCell>Figure</TableCell>
            <TableCell align="right">Beats</TableCell>
            <TableCell>Turns</TableCell>
            <TableCell>Position</TableCell>
            <TableCell>Hands, leader’s first</TableCell>
            <TableCell>Effort</TableCell>
            <TableCell align="right">Tempo</TableCell>
          </TableRow>
        </TableHead>
        {groups.map(([dance, list]) => (
          <TableBody key={dance}>
            <TableRow>
              <TableCell
                component="th"
                scope="rowgroup"
                colSpan={7}
                sx={{ fontWeight: 700, bgcolor: 'background.default', py: 0.4 }}
              >
                {dance}
              </TableCell>
            </TableRow>
            {list.map((c) => (
              <TableRow key={c.id} hover>
                <TableCell sx={{ maxWidth: 330 }}>
                  <Link component={To} to={`/charts/figure/${c.id}`} sx={{ fontWeight: 700 }}>
                    {c.name}
                  </Link>
                  {c.own && <Chip size="small" label="own" sx={{ ml: 0.75, height: 19 }} />}
                  {!c.sound && (
                    <Chip
                      size="small"
                      variant="outlined"
                      color="warning"
                      label="needs mending"
                      sx={{ ml: 0.75, height: 19, color: 'text.primary' }}
                    />
                  )}
                  <Typography
                    variant="caption"
                    color="text.secondary"
                    title={c.about}
                    sx={{
                      display: 'block',
                      overflow: 'hidden',
                      textOverflow: 'ellipsis',
                      whiteSpace: 'nowrap',
                    }}
                  >
                    {c.about}
                  </Typography>
                </TableCell>
                <TableCell align="right">{c.facts?.beats}</TableCell>
                <TableCell>
                  <Turned ledger={c.facts?.ledger} />
                </TableCell>
                <TableCell>
                  {c.facts && between([spoken(c.facts.start)], [spoken(c.facts.end)])}
                </TableCell>
                <TableCell>{c.facts && between(c.facts.start_holds, c.facts.end_holds)}</TableCell>
                <TableCell>{c.facts?.effort}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                  {c.facts && `${c.tempo[0]}–${c.tempo[1]}`}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        ))}
      </Table>
    </Card>
  );
}
