/** What each source may be sent now: places, a rate, and a breaker. In memory, for each process. */
import {
  BREAKER_AFTER,
  BREAKER_FIRST_MS,
  BREAKER_MAX_MS,
  POSTBACKS_AT_ONCE,
  POSTBACKS_PER_SECOND,
} from '../limits/limits.ts';

interface Lane {
  inFlight: number;
  /** Requests that failed since the last answer. */
  failures: number;
  /** While the breaker is open: when the next one may leave, in ms since 1970. */
  nextProbe: number;
  tokens: number;
  filledAt: number;
  /** More was due than had a place. */
  more: boolean;
}

export class Lanes {
  private readonly lanes = new Map<string, Lane>();

  /** How many requests each of the sources may begin now; those that may begin none are left out. */
  free(sources: readonly string[], now: number): Map<string, number> {
    const wanted = new Set(sources);
    for (const [id, lane] of this.lanes)
      if (!wanted.has(id) && lane.inFlight === 0 && lane.failures === 0) this.lanes.delete(id);
    return new Map(
      sources.flatMap((id) => {
        const n = this.placesOf(this.laneOf(id, now), now);
        return n > 0 ? [[id, n] as const] : [];
      }),
    );
  }

  began(source: string, now: number): void {
    const lane = this.laneOf(source, now);
    lane.inFlight += 1;
    lane.tokens -= 1;
  }

  ended(source: string, answered: boolean, now: number): void {
    const lane = this.laneOf(source, now);
    lane.inFlight -= 1;
    lane.failures = answered ? 0 : lane.failures + 1;
    const beyond = lane.failures - BREAKER_AFTER;
    if (beyond >= 0)
      lane.nextProbe = now + Math.min(BREAKER_MAX_MS, BREAKER_FIRST_MS * 2 ** Math.min(beyond, 20));
  }

  setMore(source: string, more: boolean): void {
    const lane = this.lanes.get(source);
    if (lane) lane.more = more;
  }
  hasMore = (source: string): boolean => this.lanes.get(source)?.more === true;

  /** Sources whose breaker is open. */
  broken(): string[] {
    return [...this.lanes].filter(([, lane]) => lane.failures >= BREAKER_AFTER).map(([id]) => id);
  }

  private placesOf(lane: Lane, now: number): number {
    if (lane.failures >= BREAKER_AFTER) {
      // Further ahead than any pause: the clock was set back.
      const isDue = now >= lane.nextProbe || now < lane.nextProbe - BREAKER_MAX_MS;
      return lane.inFlight === 0 && isDue ? 1 : 0;
    }
    // A clock that was set back fills nothing.
    const seconds = Math.max(0, (now - lane.filledAt) / 1000);
    lane.tokens = Math.min(POSTBACKS_PER_SECOND, lane.tokens + seconds * POSTBACKS_PER_SECOND);
    lane.filledAt = now;
    return Math.min(POSTBACKS_AT_ONCE - lane.inFlight, Math.floor(lane.tokens));
  }

  private laneOf(source: string, now: number): Lane {
    let lane = this.lanes.get(source);
    if (!lane) {
      lane = {
        inFlight: 0,
        failures: 0,
        nextProbe: 0,
        tokens: POSTBACKS_PER_SECOND,
        filledAt: now,
        more: false,
      };
      this.lanes.set(source, lane);
    }
    return lane;
  }
}
