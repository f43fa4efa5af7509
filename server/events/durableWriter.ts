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
  private waiting: { at: number; over: () => void }[] = [];
  private timer: NodeJS.Timeout | null = null;

  constructor(private readonly ms: number) {}

  begin(over: () => void): void {
    this.waiting.push({ at: performance.now() + this.ms, over });
    this.timer ??= setTimeout(() => this.look(), this.ms);
  }

  private look(): void {
    const now = performance.now();
    const past = this.waiting.findIndex((w) => w.at > now);
    for (const w of this.waiting.splice(0, past < 0 ? this.waiting.length : past)) w.over();
    const next = this.waiting[0];
    this.timer = next ? setTimeout(() => this.look(), Math.max(TICK_MS, next.at - now)) : null;
  }
}
/** Rows that came within it are called late together. */
const TICK_MS = 5;

export class NotDurable extends Error {}
export type Kept = 'committed' | 'spooled' | 'quarantined';

export class DurableWriter<T> {
  /** Rows handed over and not settled yet. */
  inHand = 0;
  private readonly patience: Patience;

  constructor(
    private readonly writer: Pick<EventWriter<T>, 'submitTogether' | 'close'>,
    private readonly spool: Pick<Spool<T>, 'append' | 'close'>,
    private readonly quarantine: (row: T, why: string) => Promise<void>,
    /** A visitor waits no longer than this for the database, in milliseconds. */
    patienceMs: number,
  ) {
    this.patience = new Patience(patienceMs);
  }

  async keep(row: T): Promise<Kept> {
    this.inHand += 1;
    try {
      return await this.commitElseSpool(row);
    } finally {
      this.inHand -= 1;
    }
  }

  /** Several rows in one commit; a row among them that the database will never take leaves each to itself. */
  async keepTogether(rows: readonly T[]): Promise<Kept[]> {
    if (rows.length === 1) return [await this.keep(rows[0]!)];
    this.inHand += rows.length;
    try {
      const outcome = await this.commitInTime(rows);
      if (outcome === 'committed') return rows.map(() => 'committed');
      if (outcome instanceof RowRefused)
        return await Promise.all(rows.map((row) => this.commitElseSpool(row)));
      await Promise.all(rows.map((row) => this.intoSpool(row)));
      return rows.map(() => 'spooled');
    } finally {
      this.inHand -= rows.length;
    }
  }

  private async commitElseSpool(row: T): Promise<Kept> {
    const outcome = await this.commitInTime([row]);
    if (outcome === 'committed') return 'committed';
    if (outcome instanceof RowRefused && (await this.putAside(row, outcome))) return 'quarantined';
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

  private commitInTime(rows: readonly T[]): Promise<'committed' | 'late' | Error> {
    return new Promise((resolve) => {
      this.patience.begin(() => resolve('late'));
      this.writer.submitTogether(rows).then(
        () => resolve('committed'),
        (error: unknown) => resolve(error as Error),
      );
    });
  }

  private putAside(row: T, refused: RowRefused): Promise<boolean> {
    return this.quarantine(row, refused.message).then(
      () => true,
      () => false,
    );
  }
}
