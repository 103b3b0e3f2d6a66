import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../api/client';
import { useCouples, usePeople } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { quantity } from '../words';
import { CoupleDialog } from './CoupleDialog';
import { FrameLimitDialog } from './FrameLimitDialog';
import { PersonDialog } from './PersonDialog';
import { RulesDialog } from './RulesDialog';

/** People with their heights, couples with their roles. */
export function PeoplePage() {
  const people = usePeople();
  const couples = useCouples();
  const [person, setPerson] = useState<Schemas['Person'] | 'new' | null>(null);
  const [pairing, setPairing] = useState(false);
  const [limit, setLimit] = useState<Schemas['Couple'] | null>(null);
  const [rules, setRules] = useState<string | null>(null);
  return (
    <Place title="People" note="heights scale the steps a chart asks for">
      <Box sx={{ display: 'grid', gridTemplateColumns: '5fr 6fr', gap: 1.5, alignItems: 'start' }}>
        <Card component="section" sx={{ p: 2 }}>
          <Box sx={{ display: 'flex', justifyContent: 'space-between', mb: 1 }}>
            <Typography variant="h2">Persons</Typography>
            <Button variant="contained" onClick={() => setPerson('new')}>
              New person
            </Button>
          </Box>
          <Loaded of={people}>
            {(all) =>
              all.length === 0 ? (
                <Empty title="Nobody yet.">Add the two people of your first couple.</Empty>
              ) : (
                <Table>
                  <TableHead>
                    <TableRow>
                      <TableCell>Name</TableCell>
                      <TableCell align="right">Height</TableCell>
                      <TableCell>Filming</TableCell>
                      <TableCell component="td" />
                    </TableRow>
                  </TableHead>
                  <TableBody>
                    {all.map((p) => (
                      <TableRow key={p.id} hover>
                        <TableCell>
                          <Link to={`/people/${p.id}`}>{p.name}</Link>
                          {p.note && (
                            <Typography variant="body2" sx={{ color: 'caution.main' }}>
                              {p.note}
                            </Typography>
                          )}
                        </TableCell>
                        <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                          {quantity(p.height, 'metres')}
                        </TableCell>
                        <TableCell>{p.consent ? 'agreed' : 'not agreed'}</TableCell>
                        <TableCell align="right">
                          <Button onClick={() => setPerson(p)} aria-label={`Change ${p.name}`}>
                            Change
                          </Button>
                        </TableCell>
                      </TableRow>
                    ))}
                  </TableBody>
                </Table>
              )
            }
          </Loaded>
        </Card>
        <Card component="section" sx={{ p: 2 }}>
          <Box sx={{ display: 'flex', justifyContent: 'space-between', mb: 1 }}>
            <Typography variant="h2">Couples</Typography>
            <Button
              variant="contained"
              disabled={(people.data?.length ?? 0) < 2}
              onClick={() => setPairing(true)}
            >
              New couple
            </Button>
          </Box>
          <Loaded of={couples}>
            {(all) =>
              all.length === 0 ? (
                <Empty title="No couples yet.">A couple is two people and who leads.</Empty>
              ) : (
                <Table>
                  <TableHead>
                    <TableRow>
                      <TableCell>Leader</TableCell>
                      <TableCell>Follower</TableCell>
                      <TableCell>Frame limit</TableCell>
                      <TableCell component="td" />
                    </TableRow>
                  </TableHead>
                  <TableBody>
                    {all.map((c) => (
                      <TableRow key={c.id} hover>
                        <TableCell>
                          <RoleMark role="leader" /> {c.leader}
                        </TableCell>
                        <TableCell>
                          <RoleMark role="follower" /> {c.follower}
                        </TableCell>
                        <TableCell>
                          {c.frame_limit == null
                            ? 'from arm lengths'
                            : quantity(c.frame_limit, 'metres')}
                        </TableCell>
                        <TableCell align="right">
                          <Button
                            onClick={() => setLimit(c)}
                            aria-label={`Set the frame limit of ${c.leader} and ${c.follower}`}
                          >
                            Set
                          </Button>
                          <Button
                            onClick={() => setRules(c.id)}
                            aria-label={`Schools and bands of ${c.leader} and ${c.follower}`}
                          >
                            Schools
                          </Button>
                        </TableCell>
                      </TableRow>
                    ))}
                  </TableBody>
                </Table>
              )
            }
          </Loaded>
        </Card>
      </Box>
      {person && (
        <PersonDialog was={person === 'new' ? undefined : person} onClose={() => setPerson(null)} />
      )}
      {pairing && <CoupleDialog people={people.data ?? []} onClose={() => setPairing(false)} />}
      {rules && <RulesDialog couple={rules} onClose={() => setRules(null)} />}
      {limit && <FrameLimitDialog couple={limit} onClose={() => setLimit(null)} />}
    </Place>
  );
}
