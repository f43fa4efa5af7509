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

export function clock(iso: string, zone: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  }).format(new Date(iso));
}

/** Time alone today, with the date before. */
export function moment(iso: string, zone: string, now = Date.now()): string {
  const day = (ms: number | string): string =>
    new Intl.DateTimeFormat('sv-SE', { timeZone: zone }).format(new Date(ms));
  if (day(iso) === day(now)) return clock(iso, zone);
  const date = new Intl.DateTimeFormat('en-GB', { timeZone: zone, day: 'numeric', month: 'short' }).format(
    new Date(iso),
  );
  return `${date} ${clock(iso, zone).slice(0, 5)}`;
}

export function dayName(day: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    timeZone: 'UTC',
    weekday: 'short',
    day: 'numeric',
    month: 'short',
  }).format(new Date(day));
}
export function dayRange(from: string, to: string): string {
  const write = (d: string, year: boolean): string =>
    new Intl.DateTimeFormat('en-GB', {
      timeZone: 'UTC',
      day: 'numeric',
      month: 'short',
      ...(year ? { year: 'numeric' } : {}),
    }).format(new Date(d));
  return from === to ? write(to, true) : `${write(from, false)} – ${write(to, true)}`;
}
const countryNames = new Intl.DisplayNames(['en'], { type: 'region' });
export const countryName = (code: string): string =>
  code === '' ? 'unknown' : (countryNames.of(code) ?? code);
