import type { Schemas } from '../api/client';
import type { Role } from '../words';

export type Cell = Schemas['CountCell'];
type Analysis = Schemas['Analysis'];

/** The count nearest to a moment. */
export function cellAt(cells: Cell[], at: number) {
  let best: Cell | undefined;
  for (const c of cells) {
    if (!best || Math.abs(c.at - at) < Math.abs(best.at - at)) best = c;
  }
  return best;
}

/** `4`, or `& of 3`. */
export function spoken(cells: Cell[], cell: Cell) {
  if (!cell.between) return cell.label;
  const before = cells.find((c) => c.repetition === cell.repetition && c.count === cell.count - 1);
  return before ? `& of ${before.label}` : '&';
}

/** Where a role's body is marked for a count: at its arrival where one is marked, else on the count. */
export function momentOf(analysis: Analysis, cell: Cell, role: Role) {
  const step = analysis.steps.find(
    (s) => s.role === role && s.repetition === cell.repetition && s.count === cell.count,
  );
  return step?.arrived ?? cell.at;
}

export function measuresAt(analysis: Analysis, cell: Cell | undefined) {
  if (!cell) return [];
  return analysis.measures.filter(
    (m) => m.repetition === cell.repetition && m.count === cell.count,
  );
}

/** Key of a finding. */
export function findingKey(j: { fault: string; role?: Role | 'couple' | null }) {
  return `${j.fault} ${j.role ?? 'couple'}`;
}
