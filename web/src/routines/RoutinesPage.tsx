import Add from '@mui/icons-material/AddOutlined';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Link from '@mui/material/Link';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link as To, useNavigate } from 'react-router';
import { useCreateRoutine, useRoutines } from '../api/hooks';
import { ChartsPlace } from '../charts/ChartsPlace';
import { FormDialog } from '../shell/FormDialog';
import { Empty, Loaded } from '../shell/State';
import { plural } from '../words';

/** All routines. */
export function RoutinesPage() {
  const routines = useRoutines();
  const [making, setMaking] = useState(false);
  const make = (
    <Button variant="contained" startIcon={<Add />} onClick={() => setMaking(true)}>
      New routine
    </Button>
  );
  return (
    <ChartsPlace action={make}>
      <Loaded of={routines}>
        {(all) =>
          all.length === 0 ? (
            <Empty title="No routine yet.">
              A routine puts figures in order over the music and shows whether each joins the next.
            </Empty>
          ) : (
            <Card>
              <Table aria-label="Routines">
                <TableHead>
                  <TableRow>
                    <TableCell>Routine</TableCell>
                    <TableCell align="right">Figures</TableCell>
                    <TableCell>Music</TableCell>
                    <TableCell>Floor</TableCell>
                  </TableRow>
                </TableHead>
                <TableBody>
                  {all.map((r) => (
                    <TableRow key={r.id} hover>
                      <TableCell>
                        <Link
                          component={To}
                          to={`/charts/routines/${r.id}`}
                          sx={{ fontWeight: 700 }}
                        >
                          {r.name}
                        </Link>
                      </TableCell>
                      <TableCell align="right">{r.plan.items.length}</TableCell>
                      <TableCell>
                        {r.plan.tempo} beats a minute, {plural(r.plan.meter, 'beat')} a bar,{' '}
                        {plural(r.plan.phrase, 'bar')} a phrase
                      </TableCell>
                      <TableCell>{r.plan.floor.join(' by ')} m</TableCell>
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
            </Card>
          )
        }
      </Loaded>
      {making && <NewRoutine onClose={() => setMaking(false)} />}
    </ChartsPlace>
  );
}

function NewRoutine({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState('');
  const create = useCreateRoutine();
  const go = useNavigate();
  return (
    <FormDialog
      title="New routine"
      action="Make"
      busy={create.isPending}
      error={create.error}
      onClose={onClose}
      onSubmit={() =>
        create.mutate({ name }, { onSuccess: (r) => void go(`/charts/routines/${r.id}`) })
      }
    >
      <TextField
        autoFocus
        required
        label="Name"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
    </FormDialog>
  );
}
