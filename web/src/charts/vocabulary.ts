import type { Schemas } from '../api/client';

/** Every word of a closed vocabulary: the compiler refuses a list with one missing or one too many. */
const all = <T extends string>(words: Record<T, true>) => Object.keys(words) as T[];

export const actions = all<Schemas['Action']>({
  step: true,
  close: true,
  replace: true,
  in_place: true,
  touch: true,
  brush: true,
  kick: true,
  hold: true,
  check: true,
  pivot: true,
  heel_turn: true,
  swivel: true,
});

export const parts = all<Schemas['Part']>({
  walk: true,
  side_close: true,
  chasse: true,
  triple: true,
  rock: true,
  check_back: true,
  pivot_step: true,
  heel_pull: true,
  gather: true,
});

export const directions = all<Schemas['Direction']>({
  forward: true,
  forward_left: true,
  left: true,
  back_left: true,
  back: true,
  back_right: true,
  right: true,
  forward_right: true,
  in_place: true,
  collect: true,
  cross_front: true,
  cross_behind: true,
});

export const contacts = all<Schemas['Contact']>({
  heel: true,
  ball: true,
  whole: true,
  toe: true,
  edge: true,
});

export const levels = all<Schemas['Level']>({
  rise: true,
  up: true,
  lower: true,
  down: true,
  flat: true,
});

export const legs = all<Schemas['Leg']>({ straight: true, soft: true });

export const watchpoints = all<Schemas['Watchpoint']>({
  stop: true,
  hang: true,
  prep: true,
  signal: true,
  send: true,
  between: true,
  collect: true,
});

export const positions = all<Schemas['Position']>({
  open_facing: true,
  closed: true,
  close_embrace: true,
  promenade: true,
  counter_promenade: true,
  side_by_side: true,
  shadow: true,
  wrapped: true,
  arm_lock: true,
  outside_partner: true,
  apart: true,
});

export const connections = all<Schemas['Connection']>({
  neutral: true,
  compression: true,
  stretch: true,
  free: true,
});

export const footings = all<Schemas['Footing']>({ opposite: true, same: true, either: true });

export const holdVerbs = all<Schemas['HoldVerb']>({
  take: true,
  catch: true,
  release: true,
  throw: true,
});
