import type { Schemas } from '../api/client';
import { roles, type Role } from '../words';
import { nearestFrame } from './player';

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

/** Bodies marked further than this from a frame are not drawn over it, microseconds. */
export const NEAR = 140_000;

/** Bodies marked near a moment, faint where they belong to another frame. */
export function posesNear<P extends Schemas['Pose']>(all: P[], frames: number[], now: number) {
  return roles.flatMap((r) => {
    const of = all.filter((p) => p.role === r);
    const best = of.reduce<P | null>(
      (a, b) => (!a || Math.abs(b.at - now) < Math.abs(a.at - now) ? b : a),
      null,
    );
    if (!best || Math.abs(best.at - now) > NEAR) return [];
    const faint = nearestFrame(frames, best.at) !== nearestFrame(frames, now);
    return [{ pose: best, faint }];
  });
}
