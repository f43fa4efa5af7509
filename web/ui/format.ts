/** How numbers, money and times are written on every screen. One unit per column; a true minus; thin groups. */
const NARROW_SPACE = '\u202f';
const MINUS = '\u2212';

/** Micro-units as text with `decimals` places, rounded half away from zero. `sign` writes + as well. */
export function money(micros: string | bigint, decimals = 2, sign = false): string {
  const value = BigInt(micros);
  const abs = value < 0n ? -value : value;
  const unit = 10n ** BigInt(6 - decimals);
  const rounded = (2n * abs + unit) / (2n * unit);
  const scale = 10n ** BigInt(decimals);
  const whole = group((rounded / scale).toString());
  const text = decimals === 0 ? whole : `${whole}.${(rounded % scale).toString().padStart(decimals, '0')}`;
  const mark = rounded === 0n ? '' : value < 0n ? MINUS : sign ? '+' : '';
  return mark + text;
}

export const group = (digits: string): string => digits.replace(/\B(?=(\d{3})+(?!\d))/g, NARROW_SPACE);
/** `2nd`, `11th`. */
export function ordinal(n: number): string {
  const ending = { one: 'st', two: 'nd', few: 'rd', other: 'th' } as Record<string, string>;
  return `${n}${ending[ORDINALS.select(n)] ?? 'th'}`;
}
const ORDINALS = new Intl.PluralRules('en', { type: 'ordinal' });

export const count = (n: number): string => group(String(n));
/** With the word for one of them, which takes an s: `1 row`, `2 rows`. */
export const counted = (n: number, word: string): string => `${count(n)} ${word}${n === 1 ? '' : 's'}`;

/** A share as a percentage; `sign` for changes and returns. */
export function percent(share: number | null, decimals = 1, sign = false): string {
  if (share === null) return '–';
  const text = Math.abs(share * 100).toFixed(decimals);
  const zero = Number(text) === 0;
  return `${zero ? '' : share < 0 ? MINUS : sign ? '+' : ''}${group(text.split('.')[0]!)}${decimals > 0 ? `.${text.split('.')[1]}` : ''}${NARROW_SPACE}%`;
}

const ways = {
  clock: ['en-GB', { hour: '2-digit', minute: '2-digit', second: '2-digit' }],
  isoDay: ['sv-SE', {}],
  day: ['en-GB', { day: 'numeric', month: 'short' }],
  weekday: ['en-GB', { weekday: 'short', day: 'numeric', month: 'short' }],
  dayAndYear: ['en-GB', { day: 'numeric', month: 'short', year: 'numeric' }],
} satisfies Record<string, [locale: string, options: Intl.DateTimeFormatOptions]>;
/** Kept: to make one takes far longer than to write a time by it, and a list writes hundreds. */
const formats = new Map<string, Intl.DateTimeFormat>();
function written(at: string | number, zone: string, way: keyof typeof ways): string {
  const key = `${way} ${zone}`;
  let format = formats.get(key);
  if (!format) {
    const [locale, options] = ways[way];
    formats.set(key, (format = new Intl.DateTimeFormat(locale, { timeZone: zone, ...options })));
  }
  return format.format(new Date(at));
}

export const clock = (iso: string, zone: string): string => written(iso, zone, 'clock');

/** Time alone today, with the date before. */
export function moment(iso: string, zone: string, now = Date.now()): string {
  if (written(iso, zone, 'isoDay') === written(now, zone, 'isoDay')) return clock(iso, zone);
  return `${written(iso, zone, 'day')} ${clock(iso, zone).slice(0, 5)}`;
}

export const dayName = (day: string): string => written(day, 'UTC', 'weekday');
export function dayRange(from: string, to: string): string {
  const last = written(to, 'UTC', 'dayAndYear');
  return from === to ? last : `${written(from, 'UTC', 'day')} – ${last}`;
}
const countryNames = new Intl.DisplayNames(['en'], { type: 'region' });
export const countryName = (code: string): string =>
  code === '' ? 'unknown' : (countryNames.of(code) ?? code);
