import Print from '@mui/icons-material/PrintOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { Link, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useRoutine } from '../api/hooks';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { plural } from '../words';
import { alignmentName, turnWords } from './ItemCard';
import { changeWords } from './JointRow';
import { RoomPlan } from './RoomPlan';

/** The routine on paper. */
export function RoutineSheet() {
  const { id = '' } = useParams();
  const routine = useRoutine(id);
  return (
    <Loaded of={routine}>
      {({ routine: kept, report, trouble }) =>
        report ? (
          <Sheet id={id} kept={kept} report={report} />
        ) : (
          <Empty title="This routine cannot be laid out.">{trouble}</Empty>
        )
      }
    </Loaded>
  );
}

function Sheet({
  id,
  kept,
  report,
}: {
  id: string;
  kept: Schemas['KeptRoutine'];
  report: Schemas['Report'];
}) {
  const { plan } = kept;
  const dances = new Set(report.items.map((p) => p.dance));
  const cautions = [...new Set(report.items.map((p) => p.caution).filter(Boolean))];
  return (
    <Place
      title={kept.name}
      note={`${dances.size === 1 ? `${[...dances].join()} · ` : ''}${plan.tempo} beats a minute · ${plural(plan.meter, 'beat')} a bar · ${plural(plan.phrase, 'bar')} a phrase · ${plural(report.beats, 'beat')}`}
      action={
        <Box sx={{ display: 'flex', gap: 1, '@media print': { display: 'none' } }}>
          <Button component={Link} to={`/charts/routines/${id}`}>
            Back to the desk
          </Button>
          <Button variant="contained" startIcon={<Print />} onClick={() => window.print()}>
            Print
          </Button>
        </Box>
      }
    >
      <Table
        aria-label={kept.name}
        sx={{
          '& td': { verticalAlign: 'top', py: 0.4 },
          '@media print': { '& td, & th': { px: 0.5 } },
        }}
      >
        <TableHead>
          <TableRow>
            <TableCell>Phrase</TableCell>
            <TableCell>Bar</TableCell>
            <TableCell>Figure</TableCell>
            <TableCell>Counts</TableCell>
            <TableCell>Leader faces</TableCell>
            <TableCell>Turns</TableCell>
            <TableCell>Before it</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {report.items.map((p, i) => {
            const item = plan.items[i];
            const first = report.items[i - 1]?.phrase !== p.phrase;
            const joint = report.joints[i - 1];
            return (
              <TableRow key={i} sx={{ breakInside: 'avoid' }}>
                <TableCell sx={{ fontWeight: 700 }}>{first ? p.phrase : ''}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  {p.bar}
                  {p.beat > 1 && `, beat ${p.beat}`}
                </TableCell>
                <TableCell>
                  <b>{p.name}</b>
                  {p.times > 1 && ` × ${p.times}`}
                  {dances.size > 1 && (
                    <Typography variant="caption" component="div" color="text.secondary">
                      {p.dance}
                    </Typography>
                  )}
                </TableCell>
                <TableCell>{p.counts}</TableCell>
                <TableCell>{alignmentName[p.alignment]}</TableCell>
                <TableCell>{turnWords(p.turns) || 'none'}</TableCell>
                <TableCell>
                  {item?.change?.length ? changeWords(item.change) : ''}
                  {joint && joint.fit !== 'fits' && (
                    <b>does not join: {joint.sentences.join(' ')}</b>
                  )}
                </TableCell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      <Box sx={{ mt: 2, maxWidth: 560, breakInside: 'avoid' }}>
        <RoomPlan plan={plan} report={report} chosen={undefined} height={360} />
      </Box>
      {cautions.map((c) => (
        <Typography key={c} variant="body2" sx={{ mt: 1 }}>
          Take care: {c}
        </Typography>
      ))}
    </Place>
  );
}
