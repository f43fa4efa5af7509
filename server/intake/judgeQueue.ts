/**
 * Receipts that are to be judged, some at a time: what has come meanwhile goes together. Two batches are under way at once,
 * so that one is read while the other is written. When a batch fails its receipts are judged one by one, so that one that
 * can't be judged stands alone.
 */
import type { Pool } from 'pg';
import { isAway } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { judgeTogether } from './judge.ts';
import type { JudgeOptions } from './judgeWithin.ts';
import type { Judgement } from './outcomes.ts';

const MAX_TOGETHER = 64;
const BATCHES_AT_ONCE = 2;

interface Waiting {
  receipt: ReceiptRecord;
  options: JudgeOptions;
  done: (judgement: Judgement) => void;
  failed: (error: unknown) => void;
}

export class JudgeQueue {
  private waiting: Waiting[] = [];
  private underWay = 0;

  /** `pool` is one opened with `pipeline`. */
  constructor(private readonly pool: Pool) {}

  /** Rejects when this one can't be judged; it is then as if it had not been tried. */
  judge(receipt: ReceiptRecord, options: JudgeOptions = {}): Promise<Judgement> {
    return new Promise((done, failed) => {
      this.waiting.push({ receipt, options, done, failed });
      // What the same step asks for goes together.
      if (this.waiting.length === 1) setImmediate(() => this.next());
    });
  }

  private next(): void {
    while (this.underWay < BATCHES_AT_ONCE && this.waiting.length > 0) {
      const batch = this.take();
      this.underWay += 1;
      void this.judgeAll(batch).finally(() => {
        this.underWay -= 1;
        this.next();
      });
    }
  }

  /** The first ones, as long as they are judged alike. */
  private take(): Waiting[] {
    const { options } = this.waiting[0]!;
    const isAlike = (w: Waiting): boolean =>
      w.options.reportSince === options.reportSince && w.options.commitsLater === options.commitsLater;
    const end = this.waiting.slice(0, MAX_TOGETHER).findIndex((w) => !isAlike(w));
    return this.waiting.splice(0, end === -1 ? MAX_TOGETHER : end);
  }

  private async judgeAll(batch: readonly Waiting[]): Promise<void> {
    try {
      const said = await judgeTogether(
        this.pool,
        batch.map((w) => w.receipt),
        batch[0]!.options,
      );
      batch.forEach((w, i) => w.done(said[i]!));
    } catch (error) {
      // Nobody is tried alone against a database that is away: each would wait for it anew. The sweep finds them again.
      if (batch.length === 1 || isAway(error)) {
        for (const one of batch) one.failed(error);
        return;
      }
      for (const one of batch) await this.judgeAll([one]);
    }
  }
}
