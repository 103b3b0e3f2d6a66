import type { Schemas } from '../api/client';
import { eighths, quantity } from '../words';

/** A word of the closed vocabularies as people say it: `close_embrace` is close embrace. */
export function spoken(word: string) {
  const special: Record<string, string> = {
    in_place: 'in place',
    any: 'either',
    open_facing: 'open, facing',
  };
  return special[word] ?? word.replaceAll('_', ' ');
}

const percent = new Intl.NumberFormat(undefined, { style: 'percent', maximumFractionDigits: 1 });

/** A step in words, without the foot: its size as a share of a full step, or the length given. */
export function stepWords(row: Schemas['ChartRow'], length?: string) {
  // "In place in place" says nothing more.
  const to = row.direction === 'in_place' ? '' : ` ${spoken(row.direction)}`;
  const size = row.size > 0 ? ` ${length ?? percent.format(row.size)}` : '';
  return `${spoken(row.action)}${to}${size}`;
}

/** What is written beside the step: turn, contact, rise, knee, what a judgement looks for. */
export function stepNotes(row: Schemas['ChartRow']) {
  const second = row.second_turn !== row.turn ? ` (later ${eighths(row.second_turn)})` : '';
  return [
    row.turn || second ? `${eighths(row.turn)}${second}` : '',
    row.turns_freely ? 'turns freely' : '',
    row.contact ?? '',
    row.level && row.level !== 'flat' ? row.level : '',
    row.leg ? `${row.leg} knee` : '',
    ...row.judge.map((j) => landmarkName[j]),
  ]
    .filter(Boolean)
    .join(', ');
}

export const landmarkName: Record<Schemas['Watchpoint'], string> = {
  stop: 'has stopped',
  hang: 'hangs back until here',
  prep: 'prepares',
  signal: 'signal',
  send: 'sends',
  between: 'between the feet',
  collect: 'feet pass closely',
};

/** The couple's part of a count, in words. */
export function coupleWords(entry: Schemas['CoupleEntry'] | undefined) {
  if (!entry) return '';
  return [
    entry.position ? spoken(entry.position) : '',
    ...(entry.holds ?? []).map((h) => `${h.verb} ${h.hold}`),
    entry.connection ?? '',
    entry.footing ? spoken(`${entry.footing}_feet`) : '',
    ...(entry.judge ?? []).map((j) => (j === 'stretch' ? 'drawn apart' : 'together on purpose')),
    entry.dip ? 'dip' : '',
    entry.optional ? 'may be left out' : '',
    entry.open_ended ? 'as long as the phrase asks' : '',
  ]
    .filter(Boolean)
    .join(' · ');
}

/** A hold in words: `L-R` is leader’s left, follower’s right. */
export function holdWords(hold: string) {
  const hand = (h: string | undefined) => (h === 'L' ? 'left' : 'right');
  if (hold.includes('>')) {
    const [h, spot] = hold.split('>');
    return `leader’s ${hand(h)} on the ${spot?.replace('-', ' ')}`;
  }
  if (hold.includes('<')) {
    const [spot, h] = hold.split('<');
    return `follower’s ${hand(h)} on the ${spot?.replace('-', ' ')}`;
  }
  const [l, f] = hold.split('-');
  return `leader’s ${hand(l)}, follower’s ${hand(f)}`;
}

/** How the couple stand after a count, in a sentence. */
export function countWords(sketch: Schemas['Sketch'], now: number, scaled?: Schemas['Scaled']) {
  const count =
    now < 0 ? 'Before the first count' : `Count ${sketch.pattern.marks[now]?.label ?? ''}`;
  // A dancer alone has no partner to be near to.
  if (scaled && scaled.gap == null) return count;
  const position = now < 0 ? sketch.draft.start.position : sketch.positions[now];
  const holds = now < 0 ? (sketch.draft.holds ?? []) : (sketch.holds[now] ?? []);
  const distance = (scaled ?? sketch).distances[now];
  return [
    count,
    position ? spoken(position) : '',
    holds.length ? holds.map(holdWords).join('; ') : 'nothing held',
    distance === undefined ? '' : `bodies ${quantity(distance, 'metres')} apart`,
  ]
    .filter(Boolean)
    .join(' · ');
}
