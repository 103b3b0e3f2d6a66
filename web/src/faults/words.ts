import type { Schemas } from '../api/client';

type Fault = Schemas['Fault'];

export const whoText: Record<Schemas['Who'], string> = {
  each: 'either dancer',
  leader: 'the leader',
  follower: 'the follower',
  couple: 'the couple',
};

export const onText: Record<Schemas['On'], string> = {
  stretch: 'at the stretch',
  not_together: 'not where the figure brings them together',
  not_compression: 'not in compression',
  at_distance: 'where the figure keeps them apart',
  in_reach: 'where the figure keeps them in reach',
  closing: 'where the figure brings them nearer',
  not_turning: 'not while one of them turns',
  unasked: 'not where the figure itself asks for it',
  travelling: 'while travelling',
  walk: 'on walks',
  forward_walk: 'on forward walks',
  collect: 'where the feet are collected',
  straight_leg: 'where a straight leg is charted',
  soft_leg: 'where a soft knee is charted',
};

const words = (list: string[]) => list.map((w) => w.replaceAll('_', ' ')).join(', ');

/** When an entry applies, in words. */
export function appliesText(a: Fault['applies']) {
  const parts: string[] = [];
  if (a.families.length) parts.push(`in ${words(a.families)} dances`);
  if (a.positions.length) parts.push(`while ${words(a.positions)}`);
  if (a.not_positions.length) parts.push(`not while ${words(a.not_positions)}`);
  if (a.slotted) parts.push('along a slot');
  if (a.level) parts.push('in dances that stay level');
  if (a.rises) parts.push('in dances that rise');
  if (a.tracked) parts.push('in dances that track the floor');
  parts.push(...a.on.map((o) => onText[o]));
  const text = parts.join('; ');
  return text && `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
}

/** What widens or narrows a band, in words. */
export function scaleText(s: Schemas['Scale']) {
  const much = `${Math.round(100 * Math.abs(s.widen - 1))} % ${s.widen > 1 ? 'wider' : 'narrower'}`;
  switch (s.with) {
    case 'tempo':
      return `${much} from ${s.from} to ${s.to} beats a minute.`;
    case 'height_difference':
      return `${much} when the heights differ by ${Math.round(100 * s.to)} cm.`;
    case 'first_stage':
      return `${much} in the first stage.`;
  }
}
