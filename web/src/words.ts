import type { Schemas } from './api/client';

export type Role = Schemas['Role'];
export const roles = ['leader', 'follower'] as const;
export type Unit = Schemas['Unit'];

const whole = new Intl.NumberFormat(undefined, { maximumFractionDigits: 0 });
const tenth = new Intl.NumberFormat(undefined, { maximumFractionDigits: 1 });

/** How a unit is shown: factor, sign behind the number, fraction kept. */
const shown: Record<Unit, { times: number; sign: string; fine: boolean }> = {
  metres: { times: 100, sign: ' cm', fine: false },
  degrees: { times: 1, sign: '°', fine: true },
  seconds: { times: 1000, sign: ' ms', fine: false },
  ratio: { times: 100, sign: ' %', fine: false },
  share: { times: 100, sign: ' %', fine: false },
};

/** How a unit is shown: the factor and the sign. */
export function unitScale(unit: Unit) {
  return shown[unit];
}

function figure(value: number, unit: Unit) {
  const v = value * shown[unit].times;
  const text = (shown[unit].fine && Math.abs(v) < 9.95 ? tenth : whole).format(v);
  return text === '-0' ? '0' : text;
}

/** A value in the unit people use. */
export function quantity(value: number, unit: Unit) {
  return figure(value, unit) + shown[unit].sign;
}

/** A value with its standard uncertainty. */
export function withError(e: Schemas['Estimate'], unit: Unit) {
  return `${quantity(e.value, unit)} ± ${figure(e.sigma, unit)}`;
}

const sided: Record<string, [string, string]> = {
  turn: ['left', 'right'],
  turn_uncharted: ['left', 'right'],
  step_direction: ['left', 'right'],
  off_slot: ['left', 'right'],
  arrival: ['late', 'early'],
  timing_mean: ['late', 'early'],
  turn_total: ['over', 'short'],
  together: ['follower later', 'leader later'],
  lean: ['away', 'toward'],
  lean_back: ['back', 'forward'],
  lean_side: ['left', 'right'],
  shoulder_tilt: ['left up', 'right up'],
  hips_behind: ['behind', 'ahead'],
  head_ahead: ['ahead', 'behind'],
  nose_ahead: ['ahead', 'behind'],
  twist: ['left', 'right'],
  facing_error: ['left', 'right'],
  turn_still: ['left', 'right'],
  turn_sum: ['over', 'short'],
  turn_early: ['early', 'late'],
  timing_drift: ['dragging', 'rushing'],
  lean_away: ['away', 'toward'],
  lean_toward: ['toward', 'away'],
  lean_balance: ['follower further away', 'leader further away'],
  lead_lag: ['after', 'before'],
  closed_offset: ['to the right', 'to the left'],
  between_feet: ['left', 'right'],
  elbow_drop_left: ['below', 'above'],
  elbow_drop_right: ['below', 'above'],
};

/** A measure in words: left and right, early and late instead of a sign. */
export function reading(id: string, e: Schemas['Estimate'], unit: Unit) {
  const words = sided[id];
  if (!words) return withError(e, unit);
  const size = { value: Math.abs(e.value), sigma: e.sigma };
  const word = Math.abs(e.value) < 0.5 * e.sigma ? '' : ` ${e.value > 0 ? words[0] : words[1]}`;
  return withError(size, unit) + word;
}

/** A value in words, without its uncertainty. */
export function plainReading(id: string, value: number, unit: Unit) {
  const words = sided[id];
  if (!words) return quantity(value, unit);
  const size = quantity(Math.abs(value), unit);
  return /^0\D/.test(size) ? size : `${size} ${value > 0 ? words[0] : words[1]}`;
}

/** Names short enough for a narrow column; the whole one stands in its tooltip. */
export const short: Record<string, string> = {
  arrival: 'Arrival',
  together: 'Partners apart',
  step_length: 'Step length',
  step_direction: 'Step direction',
  off_slot: 'Off the slot',
  separation: 'Distance',
  separation_share: 'Gap, of limit',
  turn: 'Turn',
  turn_uncharted: 'Turn, none charted',
  turn_still: 'Turn, none charted',
  turn_most: 'Turn in one step',
  lean_away: 'Lean away',
  lean_toward: 'Lean toward',
  lean_balance: 'Leans apart',
  hips_behind: 'Hips behind',
  head_ahead: 'Head ahead',
  elbow_joined: 'Elbow, straighter',
  elbow_bent: 'Elbow, more bent',
  facing_error: 'Facing',
  elbow: 'Elbow',
  lean: 'Lean',
  speed: 'Speed, each beat',
};

export function statusName(s: Schemas['Status']) {
  const names: Record<Schemas['Status'], string> = {
    new: 'new',
    working: 'working',
    holding: 'holding',
    kept: 'kept',
    slipped_back: 'slipped back',
    never_a_fault: 'never a fault',
  };
  return names[s];
}

export function frequencyName(f: Schemas['Frequency']) {
  return { slip: 'slip', sometimes: 'sometimes', habit: 'habit', too_few: 'seen' }[f];
}

const dayForm = new Intl.DateTimeFormat(undefined, { day: 'numeric', month: 'short' });
const fullForm = new Intl.DateTimeFormat(undefined, {
  weekday: 'long',
  day: 'numeric',
  month: 'long',
});

/** A civil date without a time zone, which would move it by a day. */
function civil(text: string) {
  const [y = 0, m = 1, d = 1] = text.split('-').map(Number);
  return new Date(y, m - 1, d, 12);
}

export function day(text: string) {
  return dayForm.format(civil(text));
}

export function fullDay(text: string) {
  return fullForm.format(civil(text));
}

export function daysBetween(from: string, to: string) {
  return Math.round((civil(to).getTime() - civil(from).getTime()) / 86_400_000);
}

export function todayIso() {
  const now = new Date();
  const two = (n: number) => String(n).padStart(2, '0');
  return `${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())}`;
}

const parts = [
  '',
  'an eighth',
  'a quarter',
  'three eighths',
  'half',
  'five eighths',
  'three quarters',
  'seven eighths',
];
const fractions = ['', '⅛', '¼', '⅜', '½', '⅝', '¾', '⅞'];

/** A turn in eighths, in words. */
export function eighths(n: number) {
  if (n === 0) return 'no turn';
  const size = Math.abs(n);
  const whole = Math.floor(size / 8);
  const rest = size % 8;
  const amount =
    whole === 0 ? parts[rest] : size === 8 ? 'a whole turn' : `${whole}${fractions[rest]} turns`;
  return `${amount} to the ${n > 0 ? 'left' : 'right'}`;
}

export function plural(n: number, one: string, many = `${one}s`) {
  return `${n} ${n === 1 ? one : many}`;
}

/** What was logged of a fault: a measure, or how much of it the coach saw. */
export function logged(
  c: { value: number; sigma: number; unit: string },
  measure: string | null | undefined,
) {
  if (c.unit === 'grade') return `seen by eye, ${c.value} of 4`;
  return reading(measure ?? '', { value: c.value, sigma: c.sigma }, c.unit as Unit);
}

/** A band in words. */
export function bandText(band: Schemas['Band'], unit: Unit) {
  const [lo, hi] = band.fine;
  if (lo != null && hi != null) {
    return lo === -hi
      ? `at most ${quantity(hi, unit)} either way`
      : `${quantity(lo, unit)} to ${quantity(hi, unit)}`;
  }
  return lo != null
    ? `at least ${quantity(lo, unit)}`
    : hi != null
      ? `at most ${quantity(hi, unit)}`
      : '';
}

/** A civil date some days later. */
export function addDays(text: string, days: number) {
  const d = civil(text);
  d.setDate(d.getDate() + days);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`;
}

/** Days since Monday. */
export function weekday(text: string) {
  return (civil(text).getDay() + 6) % 7;
}

const weekdayForm = new Intl.DateTimeFormat(undefined, { weekday: 'short' });

/** A day of the week, short. */
export function dayName(text: string) {
  return weekdayForm.format(civil(text));
}
