/**
 * When visitors come, where from, and when they buy. The demo desk's history is made by these, and so is the stream that
 * goes on from it: rates and delays do not change at the moment the program starts.
 */
import { delay, type Random } from './random.ts';

const HOUR_MS = 3_600_000;
/** Sunday first: pushes and searches are quieter at the weekend, natives livelier. */
export const WEEK = [0.82, 1.02, 1.05, 1.08, 1.04, 1, 0.86];
/** Share of an hour in a day, from midnight UTC. */
export const HOURS = [2, 1, 1, 1, 1, 2, 4, 6, 6, 5, 5, 5, 6, 5, 5, 5, 6, 7, 8, 8, 7, 5, 3, 2].map(
  (w, hour) => [hour, w] as const,
);
const ALL_HOURS = HOURS.reduce((sum, [, w]) => sum + w, 0);

/** Sites with their share of visits, and how much better or worse they convert. */
export const sites: (readonly [string, number, number])[] = [
  ['kiosk-nord.example', 25, 1.7],
  ['tuinpraat.example', 16, 1.9],
  ['sterrenblog.example', 18, 1],
  ['zuidkaart.example', 9, 1.1],
  ['dagpuzzel.example', 15, 0.6],
  ['meteo-klein.example', 7, 0],
  ['receptenla.example', 10, 0.2],
];

export const BOT_SHARE = 0.035;

/** One campaign's steady traffic. */
export interface Flow {
  /** Visits of a usual day. */
  perDay: number;
  /** Share of visits that buy, on a site of usual quality. */
  buys: number;
  country: string;
  /** What a visit costs, about. */
  price: number;
}

/** Until the next visit, at this hour of this weekday. */
export function gapMs({ perDay }: Flow, nowMs: number, random: Random): number {
  const now = new Date(nowMs);
  const [, share] = HOURS[now.getUTCHours()]!;
  const perHour = (perDay * WEEK[now.getUTCDay()]! * share) / ALL_HOURS;
  return delay(random, HOUR_MS / perHour);
}

/** From the visit to the order. */
export const orderDelayMs = (random: Random): number => 40_000 + Math.floor(delay(random, 2.5 * HOUR_MS));

/** A visit's price, as the ad network writes it. */
export const priceText = (price: number, random: Random): string =>
  (price * (0.8 + random() * 0.4)).toFixed(4);
