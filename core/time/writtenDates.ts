/** Dates as people and programs write them, by the order of their parts: 2026-11-24, 24.11.2026, 11/24/2026. */
export const dateOrders = ['ymd', 'dmy', 'mdy'] as const;
export type DateOrder = (typeof dateOrders)[number];

const DATE = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})(?:[T, ]+(\d{1,2}):(\d\d)(?::(\d\d))?)?$/;
const two = (text: string): string => text.padStart(2, '0');

/** A date in another order as ISO 8601; what is none stays, and is read or refused as it stands. */
export function asIsoDate(text: string, order: DateOrder): string {
  const match = order === 'ymd' ? null : DATE.exec(text.trim());
  if (!match) return text;
  const [, a = '', b = '', year, hour, minute, second] = match;
  const [day, month] = order === 'dmy' ? [a, b] : [b, a];
  const date = `${year}-${two(month)}-${two(day)}`;
  return hour === undefined ? date : `${date}T${two(hour)}:${minute}:${second ?? '00'}`;
}

/** The order in which these dates are certainly written; null where they leave it open. */
export function guessDates(values: readonly string[]): DateOrder | null {
  const found = values.map((v) => DATE.exec(v.trim())).filter((m) => m !== null);
  // Only days go beyond twelve; between dots the day comes first.
  if (found.some((m) => Number(m[1]) > 12 || m[0].includes('.'))) return 'dmy';
  return found.some((m) => Number(m[2]) > 12) ? 'mdy' : null;
}
