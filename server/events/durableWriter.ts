/**
 * Commit, else spool: one door for every event row.
 *
 * Contract
 *  - `keep` resolves once the row is durable: committed, or, when the database fails or does not answer within
 *    the visitor's patience, on disk in the spool. The very same row goes to both; whichever is second is a no-op.
 *  - A row that the database will never take is put aside into the quarantine, with the reason, and counts as kept.
 *  - It rejects with NotDurable only when neither database nor disk took it: nothing may be acknowledged then.
 */
import { RowRefused, type EventWriter } from './eventWriter.ts';
import type { Spool } from './spool.ts';

/**
 * Calls back once the same time has passed since each `begin`, in order, a little late at most. One timer for all: one
 * for each row would cost more than the row.
 */
class Patience {
  private waiting: Waits[] = [];
  private timer: NodeJS.Timeout | null = null;

  constructor(private readonly ms: number) {}

  begin(over: () => void): Waits {
    const waits: Waits = { at: performance.now() + this.ms, over };
    this.waiting.push(waits);
    this.timer ??= setTimeout(() => this.look(), this.ms);
    return waits;
  }

  private look(): void {
    const now = performance.now();
    const past = this.waiting.findIndex((w) => w.at > now);
    for (const w of this.waiting.splice(0, past < 0 ? this.waiting.length : past)) w.over?.();
    const next = this.waiting[0];
    this.timer = next ? setTimeout(() => this.look(), Math.max(TICK_MS, next.at - now)) : null;
  }
}
interface Waits {
  at: number;
  /** Null once nobody waits: what stands behind it must not live on in memory until its time has come. */
  over: (() => void) | null;
}
/** Rows that came within it are called late together. */
const TICK_MS = 5;

export class NotDurable extends Error {}
export type Kept = 'committed' | 'spooled' | 'quarantined';

type Late = 'late';

export class DurableWriter<T> {
  /** Rows handed over and not settled yet. */
  inHand = 0;
  private readonly patience: Patience;

  constructor(
    private readonly writer: Pick<EventWriter<T>, 'add' | 'close'>,
    private readonly spool: Pick<Spool<T>, 'append' | 'close'>,
    private readonly quarantine: (row: T, why: string) => Promise<void>,
    /** A visitor waits no longer than this for the database, in milliseconds. */
    patienceMs: number,
  ) {
    this.patience = new Patience(patienceMs);
  }

  keep(row: T): Promise<Kept> {
    return new Promise((resolve, reject) => {
      this.inHand += 1;
      const [done, failed] = [this.settling(resolve), this.settling(reject)];
      this.commitInTime([row], (outcome) => {
        // By far the most: nothing more to wait for.
        if (outcome === null) done('committed');
        else this.keepOtherwise(row, outcome).then(done, failed);
      });
    });
  }

  private settling<A>(settle: (value: A) => void): (value: A) => void {
    return (value) => {
      this.inHand -= 1;
      settle(value);
    };
  }

  /** Several rows in one commit; a row among them that the database will never take leaves each to itself. */
  async keepTogether(rows: readonly T[]): Promise<Kept[]> {
    if (rows.length === 1) return [await this.keep(rows[0]!)];
    this.inHand += rows.length;
    try {
      const outcome = await this.outcomeOf(rows);
      if (outcome === null) return rows.map(() => 'committed');
      if (outcome instanceof RowRefused)
        return await Promise.all(rows.map((row) => this.commitElseSpool(row)));
      await Promise.all(rows.map((row) => this.intoSpool(row)));
      return rows.map(() => 'spooled');
    } finally {
      this.inHand -= rows.length;
    }
  }

  private async commitElseSpool(row: T): Promise<Kept> {
    const outcome = await this.outcomeOf([row]);
    return outcome === null ? 'committed' : this.keepOtherwise(row, outcome);
  }

  /** `why` the database has not taken it. */
  private async keepOtherwise(row: T, why: Late | Error): Promise<Kept> {
    if (why instanceof RowRefused && (await this.putAside(row, why))) return 'quarantined';
    await this.intoSpool(row);
    return 'spooled';
  }

  private async intoSpool(row: T): Promise<void> {
    try {
      await this.spool.append(row);
    } catch (error) {
      throw new NotDurable(String(error));
    }
  }

  async close(): Promise<void> {
    await this.writer.close();
    await this.spool.close();
  }

  /** Null once they are committed. */
  private outcomeOf(rows: readonly T[]): Promise<null | Late | Error> {
    return new Promise((resolve) => this.commitInTime(rows, resolve));
  }

  /** `settle` is called once. */
  private commitInTime(rows: readonly T[], settle: (outcome: null | Late | Error) => void): void {
    const waits = this.patience.begin(() => {
      waits.over = null;
      settle('late');
    });
    this.writer.add(rows, (error) => {
      if (waits.over === null) return;
      waits.over = null;
      settle(error);
    });
  }

  private putAside(row: T, refused: RowRefused): Promise<boolean> {
    return this.quarantine(row, refused.message).then(
      () => true,
      () => false,
    );
  }
}
