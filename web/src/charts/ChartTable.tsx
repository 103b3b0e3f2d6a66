import Warning from '@mui/icons-material/ReportProblemOutlined';
import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { RoleMark } from '../shapes/RoleMark';
import { eighths, quantity, roles, type Role } from '../words';
import { coupleWords, stepNotes, stepWords } from './words';

type Column = Role | 'couple';

/** Both roles and the couple, count by count. */
export function ChartTable({
  sketch,
  now,
  problems = [],
  scaled,
  onPick,
  onEdit,
}: {
  sketch: Schemas['Sketch'];
  now: number;
  problems?: Schemas['ChartProblem'][];
  /** Lengths in somebody's own centimetres instead of shares. */
  scaled?: Schemas['Scaled'];
  onPick: (count: number) => void;
  onEdit?: (count: number, column: Column) => void;
}) {
  const { pattern, rows, draft, facts } = sketch;
  const shown = roles.filter((_, r) => !scaled || scaled.trails[r]);
  const couple = shown.length === 2;
  const at = (count: number, column: Column) =>
    problems.filter(
      (p) =>
        p.severity === 'stops' &&
        p.count === count &&
        (p.role ?? 'couple') === (column === 'couple' ? 'couple' : column),
    );
  const cell = (count: number, column: Column, label: string, words: React.ReactNode) => {
    const wrong = at(count, column);
    const inside = (
      <>
        {wrong.length > 0 && (
          <Warning
            titleAccess={wrong.map((p) => p.sentence).join(' ')}
            sx={{ fontSize: 15, color: 'caution.main', mr: 0.5, verticalAlign: '-2px' }}
          />
        )}
        {words}
      </>
    );
    return (
      <TableCell
        key={column}
        data-cell={`${count}-${column}`}
        sx={{
          py: 0.25,
          ...(wrong.length > 0 && { outline: 2, outlineColor: 'caution.main', outlineOffset: -2 }),
        }}
      >
        {onEdit ? (
          <ButtonBase
            onClick={() => onEdit(count, column)}
            sx={{
              display: 'block',
              width: '100%',
              minHeight: 22,
              textAlign: 'left',
              font: 'inherit',
              '&:focus-visible': { outline: '2px solid', outlineColor: 'text.primary' },
            }}
          >
            {inside}
            <Box component="span" sx={hidden}>
              {` change count ${label}, ${column}`}
            </Box>
          </ButtonBase>
        ) : (
          inside
        )}
      </TableCell>
    );
  };
  return (
    <Table aria-label={`Steps of ${draft.name}`} sx={{ '& td': { verticalAlign: 'top' } }}>
      <TableHead>
        <TableRow>
          <TableCell sx={{ width: 56 }}>Count</TableCell>
          {shown.map((role) => (
            <TableCell key={role}>
              <RoleMark role={role} /> {role === 'leader' ? 'Leader' : 'Follower'},{' '}
              {eighths(
                scaled
                  ? (scaled.steps[roles.indexOf(role)] ?? []).reduce((s, x) => s + x.turn, 0)
                  : (facts.ledger[roles.indexOf(role)]?.total ?? 0),
              )}
            </TableCell>
          ))}
          {couple && <TableCell>Together</TableCell>}
        </TableRow>
      </TableHead>
      <TableBody>
        {pattern.marks.map((m, i) => (
          <TableRow key={i} selected={i === now} aria-current={i === now ? 'step' : undefined}>
            <TableCell sx={{ py: 0.25, fontWeight: m.between ? 400 : 700 }}>
              <ButtonBase
                onClick={() => onPick(i)}
                sx={{
                  font: 'inherit',
                  minWidth: 30,
                  minHeight: 24,
                  '&:focus-visible': { outline: '2px solid', outlineColor: 'text.primary' },
                }}
              >
                {m.label}
              </ButtonBase>
            </TableCell>
            {shown.map((role) => {
              const r = roles.indexOf(role);
              const row = rows[r]?.find((x) => x.count === i);
              const own = scaled?.steps[r]?.find((x) => x.count === i);
              return cell(
                i,
                role,
                m.label,
                row ? (
                  <Step row={row} length={own?.length} turn={own?.turn} />
                ) : (
                  <Box component="span" sx={{ color: 'text.secondary' }}>
                    –
                  </Box>
                ),
              );
            })}
            {couple &&
              cell(
                i,
                'couple',
                m.label,
                <Typography component="span" variant="caption">
                  {coupleWords(draft.couple?.find((c) => c.count === i))}
                </Typography>,
              )}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

const hidden = {
  position: 'absolute',
  width: '1px',
  height: '1px',
  overflow: 'hidden',
  clipPath: 'inset(50%)',
  whiteSpace: 'nowrap',
} as const;

function Step({ row, length, turn }: { row: Schemas['ChartRow']; length?: number; turn?: number }) {
  const notes = stepNotes(turn === undefined ? row : { ...row, turn, second_turn: turn });
  return (
    <>
      <b>{row.foot}</b>{' '}
      {stepWords(row, length === undefined ? undefined : quantity(length, 'metres'))}
      {notes && (
        <Typography component="span" variant="caption" color="text.secondary">
          {' '}
          {notes}
        </Typography>
      )}
    </>
  );
}
