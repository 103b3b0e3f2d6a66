import BinIcon from '@mui/icons-material/DeleteOutlined';
import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import IconButton from '@mui/material/IconButton';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Tooltip from '@mui/material/Tooltip';
import { useState } from 'react';
import { Link } from 'react-router';
import { useBinTake, useRestoreTake } from '../api/bin';
import { useCharts, useTakes } from '../api/hooks';
import { Place } from '../shell/Shell';
import { Empty, Failure, Loaded } from '../shell/State';
import { day } from '../words';
import { NewTake } from './NewTake';
import { Stages } from './Stages';

const film: Record<string, string> = {
  ready: 'film',
  preparing: 'preparing…',
  failed: 'failed',
  not_kept: 'film not kept',
};

/** All takes; the way to the Bench. */
export function TakesPage() {
  const takes = useTakes();
  const charts = useCharts();
  const [adding, setAdding] = useState(false);
  const restore = useRestoreTake();
  const bin = useBinTake();
  const put = (id: string) => {
    restore.reset();
    bin.mutate(id);
  };
  return (
    <Place
      title="Takes"
      note="each is one couple, one figure, one clip"
      action={
        <>
          <Button component={Link} to="/takes/studio">
            Practice clip
          </Button>
          <Button variant="contained" onClick={() => setAdding(true)}>
            New take
          </Button>
        </>
      }
    >
      <Failure error={bin.error ?? restore.error} />
      {bin.isSuccess && !restore.isSuccess && (
        <Alert
          severity="info"
          role="status"
          sx={{ mb: 1.5 }}
          action={
            <Button
              color="inherit"
              loading={restore.isPending}
              onClick={() => restore.mutate(bin.variables)}
            >
              Undo
            </Button>
          }
        >
          The take is in the bin (Settings) for thirty days.
        </Alert>
      )}
      <Card>
        <Loaded of={takes}>
          {(all) =>
            all.length === 0 ? (
              <Empty title="No takes yet.">Upload a clip of a couple to begin.</Empty>
            ) : (
              <Table>
                <TableHead>
                  <TableRow>
                    <TableCell>Danced</TableCell>
                    <TableCell>Couple</TableCell>
                    <TableCell>Figure</TableCell>
                    <TableCell>Film</TableCell>
                    <TableCell>Preparation</TableCell>
                    <TableCell>Review</TableCell>
                    <TableCell component="td" padding="none" />
                  </TableRow>
                </TableHead>
                <TableBody>
                  {all.map((t) => {
                    const chart = charts.data?.find((c) => c.id === t.chart);
                    return (
                      <TableRow key={t.id} hover>
                        <TableCell>{day(t.held_on)}</TableCell>
                        <TableCell>
                          <Link to={`/takes/${t.id}`}>
                            {t.leader} &amp; {t.follower}
                          </Link>
                        </TableCell>
                        <TableCell>{chart ? `${chart.dance}, ${chart.name}` : '–'}</TableCell>
                        <TableCell>{film[t.clip ?? ''] ?? 'none'}</TableCell>
                        <TableCell>
                          <Stages take={t} />
                        </TableCell>
                        <TableCell>{t.reviewed ? 'closed' : 'open'}</TableCell>
                        <TableCell padding="none">
                          <Tooltip title="Put in the bin">
                            <IconButton
                              size="small"
                              aria-label={`Put in the bin: ${t.leader} & ${t.follower}, ${day(t.held_on)}, take ${t.number}`}
                              onClick={() => put(t.id)}
                            >
                              <BinIcon fontSize="small" />
                            </IconButton>
                          </Tooltip>
                        </TableCell>
                      </TableRow>
                    );
                  })}
                </TableBody>
              </Table>
            )
          }
        </Loaded>
      </Card>
      {adding && <NewTake onClose={() => setAdding(false)} />}
    </Place>
  );
}
