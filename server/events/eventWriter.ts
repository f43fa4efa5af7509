/**
 * Group commit: rows are gathered for at most MAX_BATCH_DELAY_MS, written in one transaction, and each submitter's
 * promise is settled by its own batch. Nothing is acknowledged before it is durable.
 *
 * Contract
 *  - A row is complete, its ID included, before it is submitted; writing it twice is harmless (on conflict do nothing).
 *  - `submit` resolves once the row is committed. It rejects with RowRefused when the database will never take this
 *    row (SQLSTATE class 22 or 23), and with WriterUnavailable when it could not be written now: the outcome may be
 *    unknown, the row may be there, and submitting the very same row again is always right.
 *  - A refused batch is halved until the bad row stands alone; its neighbours are committed.
 *  - `close` refuses new rows, drains what is waiting, then resolves.
 *
 * Modes: open → draining → closed. One field, one setter, asserted moves.
 */
export const MAX_BATCH_DELAY_MS = 2;
/** More rows than this in one statement no longer lower the cost of a row. */
export const MAX_BATCH_ROWS = 500;
/** Batches written at the same time; one commits while the next one is filled. */
export const MAX_BATCHES_IN_FLIGHT = 2;
/** Rows waiting beyond this are refused at once: the database is clearly not keeping up. */
export const MAX_WAITING_ROWS = 20_000;

export class RowRefused extends Error {}
export class WriterUnavailable extends Error {}

/** Writes all rows in one transaction, or throws. */
export type CommitBatch<T> = (rows: readonly T[]) => Promise<void>;

type Mode = 'open' | 'draining' | 'closed';
const moves: Record<Mode, Mode[]> = { open: ['draining'], draining: ['closed'], closed: [] };

/** Rows that are written together: in one transaction, or none of them. */
interface Waiting<T> {
  rows: readonly T[];
  settle: Settle;
}
export type Settle = (error: Error | null) => void;

export class EventWriter<T> {
  private mode: Mode = 'open';
  private waiting: Waiting<T>[] = [];
  private waitingRows = 0;
  private inFlight = 0;
  private timer: NodeJS.Timeout | null = null;
  private drained: (() => void) | null = null;

  constructor(private readonly commit: CommitBatch<T>) {}

  submit(row: T): Promise<void> {
    return new Promise((resolve, reject) =>
      this.add([row], (error) => (error === null ? resolve() : reject(error))),
    );
  }

  /**
   * Several rows in one commit; `settle` is called once with null, or with what `submit` rejects with: RowRefused when the
   * database will never take one of them. A callback, since a promise for each step costs more than making the row.
   */
  add(rows: readonly T[], settle: Settle): void {
    if (this.mode !== 'open') return settle(new WriterUnavailable('the writer is closing'));
    if (this.waitingRows >= MAX_WAITING_ROWS)
      return settle(new WriterUnavailable('too many rows are waiting'));
    this.waiting.push({ rows, settle });
    this.waitingRows += rows.length;
    this.schedule();
  }

  async close(): Promise<void> {
    if (this.mode !== 'open') return;
    this.setMode('draining');
    this.flush();
    if (this.inFlight > 0 || this.waiting.length > 0)
      await new Promise<void>((resolve) => (this.drained = resolve));
    this.setMode('closed');
  }

  private setMode(next: Mode): void {
    if (!moves[this.mode].includes(next))
      throw new Error(`an event writer cannot go from ${this.mode} to ${next}`);
    this.mode = next;
  }

  private schedule(): void {
    if (this.waitingRows >= MAX_BATCH_ROWS) this.flush();
    else this.timer ??= setTimeout(() => this.flush(), MAX_BATCH_DELAY_MS);
  }

  private flush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    while (this.waiting.length > 0 && this.inFlight < MAX_BATCHES_IN_FLIGHT) {
      const batch = this.nextBatch();
      this.inFlight += 1;
      void this.write(batch).finally(() => {
        this.inFlight -= 1;
        if (this.waiting.length > 0) this.flush();
        else if (this.inFlight === 0) this.drained?.();
      });
    }
  }

  private nextBatch(): Waiting<T>[] {
    let rows = 0;
    let end = 0;
    while (end < this.waiting.length && rows < MAX_BATCH_ROWS) rows += this.waiting[end++]!.rows.length;
    this.waitingRows -= rows;
    return this.waiting.splice(0, end);
  }

  private async write(batch: Waiting<T>[]): Promise<void> {
    try {
      await this.commit(rowsOf(batch));
      for (const w of batch) w.settle(null);
    } catch (error) {
      if (!isRefusal(error)) {
        for (const w of batch) w.settle(new WriterUnavailable(String(error)));
      } else if (batch.length === 1) {
        batch[0]!.settle(new RowRefused(String(error)));
      } else {
        const half = batch.length >> 1;
        await this.write(batch.slice(0, half));
        await this.write(batch.slice(half));
      }
    }
  }
}

function rowsOf<T>(batch: readonly Waiting<T>[]): readonly T[] {
  if (batch.length === 1) return batch[0]!.rows;
  const all: T[] = [];
  for (const { rows } of batch) for (const row of rows) all.push(row);
  return all;
}

/** SQLSTATE 22 (data exception) and 23 (constraint): this row, and not the moment, is at fault. */
export function isRefusal(error: unknown): boolean {
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === 'string' && /^2[23]/.test(code);
}
