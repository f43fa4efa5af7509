/** Whether an offer's postbacks stay away: by its own rate and delay, how many of its visits should have converted by now. */
import type { DelayCurve } from '../metrics/index.ts';

/** Fewer than these say nothing. */
export const FEWEST_POSTBACKS = 5;

export interface Silence {
  /** Visits sent to the offer, by how many hours ago that was. */
  visits: readonly { hoursAgo: number; count: number }[];
  /** Conversions for each visit sent to it, once all have come. */
  rate: number;
  curve: DelayCurve;
  /** Hours since its last conversion came. */
  silentHours: number;
}

/** Conversions that should have come since the last one. */
export const expectedSince = ({ visits, rate, curve, silentHours }: Silence): number =>
  visits.reduce((sum, { hoursAgo, count }) => {
    const come = curve(hoursAgo) - curve(Math.max(0, hoursAgo - silentHours));
    return sum + count * rate * come;
  }, 0);
