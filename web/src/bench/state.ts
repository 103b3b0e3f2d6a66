import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { Schemas } from '../api/client';
import type { Role } from '../words';

export type Mode = 'watch' | 'chart' | 'count' | 'floor' | 'bodies';

interface BenchState {
  mode: Mode;
  role: Role;
  /** Chosen point of the floor reference, 0..8. */
  corner: number;
  /** Chosen landmark, an index into the order of marking. */
  landmark: number;
  /** Angle on whose picture is marked, 1..4. */
  angle: number;
  /** The floor reference as typed, before it is set. */
  typed: Schemas['MarkCommand'];
  /** Clicks on the floor are moved to the corner near them. */
  snaps: boolean;
  /** Whom a click in the film says to be dancing, while the coach points. */
  pointing: Role | null;
  /** Dancers that were pointed at, at most one of each role an angle. */
  picks: Schemas['Picked'][];
  /** The coach says that one dancer only is in the film. */
  one: boolean;
  /** Chosen finding, `fault role`. */
  finding: string | null;
  set: (change: Partial<Omit<BenchState, 'set'>>) => void;
}

export const fresh = {
  mode: 'watch' as Mode,
  role: 'leader' as Role,
  corner: 0,
  landmark: 0,
  angle: 1,
  typed: { do: 'size_floor', length: 2, width: 1, view: null } as Schemas['MarkCommand'],
  snaps: true,
  pointing: null as Role | null,
  picks: [] as Schemas['Picked'][],
  one: false,
  finding: null,
};

/** What the coach has in hand on the Bench; nothing of it is worth keeping on the server. */
export const useBenchState = create<BenchState>((set) => ({ ...fresh, set }));

interface Lanes {
  /** Ids of the lanes that are drawn over the count. */
  shown: string[];
  toggle: (id: string) => void;
}

/** The lanes over the count that this coach looks at, in this browser. */
export const useLanes = create<Lanes>()(
  persist(
    (set) => ({
      shown: ['timing', 'gap', 'turn', 'level'],
      toggle: (id) =>
        set(({ shown }) => ({
          shown: shown.includes(id) ? shown.filter((l) => l !== id) : [...shown, id],
        })),
    }),
    { name: 'lanes' },
  ),
);
