import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { useCharts } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Place } from '../shell/Shell';
import { Loaded } from '../shell/State';
import { eighths } from '../words';
import { FloorPath } from './FloorPath';

const positions: Record<Schemas['Position'], string> = {
  open_facing: 'open, facing',
  closed: 'closed',
  close_embrace: 'close embrace',
};

const actions: Record<Schemas['Action'], string> = {
  step: 'step',
  close: 'close',
  replace: 'replace the weight',
  touch: 'touch',
};

function step(row: Schemas['ChartRow'] | undefined) {
  if (!row) return '–';
  const to = row.direction === 'in_place' ? '' : ` ${row.direction.replace('_', ' ')}`;
  const turn = row.turn ? `, turning ${eighths(row.turn)}` : '';
  return `${row.foot === 'L' ? 'left' : 'right'}: ${actions[row.action]}${to}${turn}`;
}

function ChartCard({ view }: { view: Schemas['ChartView'] }) {
  const { chart, pattern } = view;
  return (
    <Card component="article" sx={{ p: 2, mb: 1.5 }}>
      <Typography variant="h2">
        {chart.dance}: {chart.name}
      </Typography>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        {chart.about} Counts {chart.counts} at {chart.tempo[0]} to {chart.tempo[1]} beats a minute;
        starts {positions[chart.start]}
        {chart.slotted ? '; on a slot' : ''}.
      </Typography>
      <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 380px', gap: 2, alignItems: 'center' }}>
        <Table aria-label={`Steps of ${chart.name}`}>
          <TableHead>
            <TableRow>
              <TableCell>Count</TableCell>
              <TableCell>
                <RoleMark role="leader" /> Leader, {eighths(view.turns[0] ?? 0)}
              </TableCell>
              <TableCell>
                <RoleMark role="follower" /> Follower, {eighths(view.turns[1] ?? 0)}
              </TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {pattern.marks.map((m, i) => (
              <TableRow key={i}>
                <TableCell sx={{ fontWeight: m.between ? 400 : 700, py: 0.3 }}>{m.label}</TableCell>
                <TableCell sx={{ py: 0.3 }}>
                  {step(chart.leader.find((r) => r.count === i))}
                </TableCell>
                <TableCell sx={{ py: 0.3 }}>
                  {step(chart.follower.find((r) => r.count === i))}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <FloorPath view={view} />
      </Box>
    </Card>
  );
}

/** The chart library. */
export function ChartsPage() {
  const charts = useCharts();
  return (
    <Place title="Charts" note="what each role does on each count">
      <Loaded of={charts}>
        {(all) => all.map((v) => <ChartCard key={v.chart.id} view={v} />)}
      </Loaded>
    </Place>
  );
}
