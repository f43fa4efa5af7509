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
/** Fewer wait for the batch that is under way, and then go together: a large batch costs each of its receipts less. */
const WORTH_A_SECOND = 48;
/** A batch that takes longer waits for something, such as another process: whoever waits for it goes in a second one. */
const SLOW_MS = 50;
/** So many of those that wait are looked through for a batch. */
const MAX_LOOKED_AT = 4 * MAX_TOGETHER;

/** What may be a click ID of ours, as it stands in a call. */
const CLICK_ID = /[0-9A-HJKMNP-TV-Z]{26}/gi;
const MAX_LENGTH = 4096;
const MAX_CLICK_IDS = 8;

/**
 * Click IDs that the call seems to name. A batch holds the owners that it folds until it is committed, and another batch with
 * a call for one of them would do nothing but wait; a wrong guess here costs a wait, and nothing else.
 */
export const clickIdsIn = ({ query, body }: Pick<ReceiptRecord, 'query' | 'body'>): string[] =>
  (`${query.slice(0, MAX_LENGTH)} ${body.slice(0, MAX_LENGTH)}`.match(CLICK_ID) ?? [])
    .slice(0, MAX_CLICK_IDS)
    .map((id) => id.toUpperCase());

interface Waiting {
  receipt: ReceiptRecord;
  clickIds: readonly string[];
  options: JudgeOptions;
  done: (judgement: Judgement) => void;
  failed: (error: unknown) => void;
}

export class JudgeQueue {
  private waiting: Waiting[] = [];
  private underWay = 0;
  /** Batches under way that have taken long. */
  private slow = 0;
  /** Of the batches that are under way. */
  private readonly held = new Set<string>();

  /** `pool` is one opened with `pipeline`. */
  constructor(private readonly pool: Pool) {}

  /** Rejects when this one can't be judged; it is then as if it had not been tried. */
  judge(receipt: ReceiptRecord, options: JudgeOptions = {}): Promise<Judgement> {
    return new Promise((done, failed) => {
      this.waiting.push({ receipt, clickIds: clickIdsIn(receipt), options, done, failed });
      // What the same step asks for goes together.
      if (this.waiting.length === 1 || this.waiting.length === WORTH_A_SECOND)
        setImmediate(() => this.next());
    });
  }

  private next(): void {
    while (this.underWay < BATCHES_AT_ONCE && this.waiting.length >= this.least()) {
      const batch = this.take();
      // All of them wait for what is under way, which asks again when it has ended.
      if (batch.length === 0) return;
      const clickIds = batch.flatMap((w) => w.clickIds);
      for (const id of clickIds) this.held.add(id);
      this.underWay += 1;
      let isSlow = false;
      const slow = setTimeout(() => {
        isSlow = true;
        this.slow += 1;
        this.next();
      }, SLOW_MS);
      void this.judgeAll(batch).finally(() => {
        clearTimeout(slow);
        if (isSlow) this.slow -= 1;
        for (const id of clickIds) this.held.delete(id);
        this.underWay -= 1;
        this.next();
      });
    }
  }

  /** So many must wait for another batch to begin. */
  private least(): number {
    return this.underWay === this.slow ? 1 : WORTH_A_SECOND;
  }

  /** The first ones, as long as they are judged alike, without those whose click is being judged; none overtakes another of its click. */
  private take(): Waiting[] {
    const { options } = this.waiting[0]!;
    const isAlike = (w: Waiting): boolean =>
      w.options.reportSince === options.reportSince && w.options.commitsLater === options.commitsLater;
    const batch: Waiting[] = [];
    const left: Waiting[] = [];
    const passedOver = new Set<string>();
    let at = 0;
    for (; at < this.waiting.length && at < MAX_LOOKED_AT && batch.length < MAX_TOGETHER; at++) {
      const one = this.waiting[at]!;
      if (!isAlike(one)) break;
      if (!one.clickIds.some((id) => this.held.has(id) || passedOver.has(id))) batch.push(one);
      else {
        left.push(one);
        for (const id of one.clickIds) passedOver.add(id);
      }
    }
    this.waiting = left.concat(this.waiting.slice(at));
    return batch;
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
