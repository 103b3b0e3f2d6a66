import { useRef, useState } from 'react';
import type { Schemas } from '../api/client';
import { useSaveRoutine } from '../api/hooks';

export type Plan = Schemas['Routine'];
type Item = Schemas['Item'];

/** A plan whose figures keep their identity while they move. */
export interface Sheet {
  name: string;
  plan: Plan;
  keys: number[];
}

let last = 0;
const fresh = (items: Item[]) => items.map(() => ++last);

/** The desk's state: what is on it, kept at every change, with a way back and forth. */
export function useDesk(view: Schemas['RoutineView']) {
  const { id, name, plan, version } = view.routine;
  const [sheet, setSheet] = useState<Sheet>(() => ({ name, plan, keys: fresh(plan.items) }));
  const [past, setPast] = useState<Sheet[]>([]);
  const [future, setFuture] = useState<Sheet[]>([]);
  // What another window has kept meanwhile is not what this one was made from.
  const basedRef = useRef(version);
  const save = useSaveRoutine(id, basedRef);
  const keep = (next: Sheet) => {
    setSheet(next);
    save.mutate({ name: next.name, plan: next.plan });
  };
  const change = (next: Sheet) => {
    setPast([...past, sheet]);
    setFuture([]);
    keep(next);
  };
  const items = (edit: (items: Item[], keys: number[]) => [Item[], number[]]) => {
    const [list, keys] = edit([...sheet.plan.items], [...sheet.keys]);
    change({ ...sheet, plan: { ...sheet.plan, items: list }, keys });
  };
  return {
    sheet,
    save,
    rename: (to: string) => change({ ...sheet, name: to }),
    set: (part: Partial<Plan>) => change({ ...sheet, plan: { ...sheet.plan, ...part } }),
    /** Puts figures before place `at`; `after` are hands that then change before the next one. */
    insert: (at: number, added: Item[], after?: Schemas['HoldChange'][]) =>
      items((list, keys) => {
        list.splice(at, 0, ...added);
        keys.splice(at, 0, ...fresh(added));
        const next = list[at + added.length];
        if (next && after) list[at + added.length] = { ...next, change: after };
        return [list, keys];
      }),
    put: (at: number, part: Partial<Item>) =>
      items((list, keys) => {
        const was = list[at];
        if (was) list[at] = { ...was, ...part };
        return [list, keys];
      }),
    remove: (at: number) =>
      items((list, keys) => {
        list.splice(at, 1);
        keys.splice(at, 1);
        return [list, keys];
      }),
    move: (from: number, to: number) =>
      items((list, keys) => {
        list.splice(to, 0, ...list.splice(from, 1));
        keys.splice(to, 0, ...keys.splice(from, 1));
        return [list, keys];
      }),
    undo: () => {
      const before = past.at(-1);
      if (!before) return;
      setPast(past.slice(0, -1));
      setFuture([sheet, ...future]);
      keep(before);
    },
    redo: () => {
      const [next, ...rest] = future;
      if (!next) return;
      setPast([...past, sheet]);
      setFuture(rest);
      keep(next);
    },
    /** Back to what the server keeps, after it refused a change. */
    reset: () => {
      save.reset();
      basedRef.current = version;
      setPast([]);
      setFuture([]);
      setSheet({ name, plan, keys: fresh(plan.items) });
    },
    canUndo: past.length > 0,
    canRedo: future.length > 0,
  };
}

export type Desk = ReturnType<typeof useDesk>;
