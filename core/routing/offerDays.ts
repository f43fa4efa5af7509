/** The days on which an offer takes visitors, as moments. */
import type { OfferInput } from '../contract/index.ts';

/** First and last moment of an offer's days in its zone: from the start of its first to the end of its last. */
export function offerDays(
  body: Pick<OfferInput, 'startsOn' | 'endsOn' | 'zone'>,
  deskZone: string,
): { fromMs: number; untilMs: number } {
  const zone = body.zone || deskZone;
  return {
    fromMs: body.startsOn === '' ? -Infinity : startOfDay(body.startsOn, zone),
    untilMs: body.endsOn === '' ? Infinity : startOfDay(nextDay(body.endsOn), zone),
  };
}

const DAY_MS = 86_400_000;
const nextDay = (day: string): string => new Date(Date.parse(day) + DAY_MS).toISOString().slice(0, 10);

/** The moment at which a local day begins: midnight, or the first moment after a gap at midnight. */
export function startOfDay(day: string, zone: string): number {
  const midnight = Date.parse(`${day}T00:00:00Z`);
  // Offsets around it; the one that leads to that very day and is the earliest.
  for (let ms = midnight - 14 * 3_600_000; ; ms += 900_000) {
    if (dayIn(ms, zone) >= day) return ms;
  }
}

const formats = new Map<string, Intl.DateTimeFormat>();
function dayIn(ms: number, zone: string): string {
  let format = formats.get(zone);
  if (!format) formats.set(zone, (format = new Intl.DateTimeFormat('sv-SE', { timeZone: zone })));
  return format.format(ms);
}
