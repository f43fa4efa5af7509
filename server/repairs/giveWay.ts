/**
 * Long work gives way to visitors: while visits come in, it takes few receipts at a time and rests between them, so that a
 * visitor hardly ever meets it. On a desk that is idle it takes all there is.
 */
import { setTimeout as pause } from 'node:timers/promises';

/** Fewer visits a second than this are met rarely enough. */
const BUSY_PER_SECOND = 40;
const LOOK_EVERY_MS = 250;
/** It rests so many times as long as it worked: a sixth of the time is its own. */
const REST = 5;
const LONGEST_REST_MS = 250;

/** How much is taken at once. */
export interface Portion {
  /** Receipts of one step. */
  step: number;
  /** Receipts of one transaction. */
  together: number;
  /** Transactions at the same time. */
  lanes: number;
}
const ALL: Portion = { step: 800, together: 200, lanes: 2 };
const LITTLE: Portion = { step: 40, together: 10, lanes: 1 };

export class GiveWay {
  private seen: { visits: number; at: number };
  private isBusy = false;

  /** `visitsSoFar` counts up; `now` is in ms. */
  constructor(
    private readonly visitsSoFar: () => number,
    private readonly now: () => number = () => performance.now(),
    private readonly sleep: (ms: number) => Promise<unknown> = pause,
  ) {
    this.seen = { visits: visitsSoFar(), at: now() };
  }

  get portion(): Portion {
    const at = this.now();
    if (at - this.seen.at >= LOOK_EVERY_MS) {
      const visits = this.visitsSoFar();
      this.isBusy = ((visits - this.seen.visits) * 1000) / (at - this.seen.at) >= BUSY_PER_SECOND;
      this.seen = { visits, at };
    }
    return this.isBusy ? LITTLE : ALL;
  }

  /** After so much work, in ms. */
  async rest(workedMs: number): Promise<void> {
    if (this.portion === LITTLE) await this.sleep(Math.min(workedMs * REST, LONGEST_REST_MS));
  }
}
