/** Received postbacks that still have no outcome: of a process that died, of a full machine, of clicks that were not known yet. */
import { LRUCache } from 'lru-cache';
import type { Pool } from 'pg';
import type { StreamNews } from '@tracheon/core/contract';
import type { ReceiptRecord } from '../events/rows.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import type { Judgement } from './judge.ts';
import { MAX_PER_SWEEP, SweepFrom, unjudgedReceipts, unknownClicksDue } from './sweeper.ts';

const SWEEP_EVERY_MS = 1000;
const ASK_AGAIN_EVERY_MS = 10_000;
const LOOK_BACK_EVERY_MS = 900_000;
/** Receipts that wait to be judged at the same time; calls that come in meanwhile get in between. */
const JUDGES = 64;
/** A receipt that could not be judged is no news a second later. */
const TRY_AGAIN_MS = 30_000;

export interface IntakeJobDeps {
  pool: Pool;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  tell: (deskId: string, ...topics: StreamNews['topics']) => void;
  onNotJudged: (receiptId: string, error: unknown) => void;
  now: () => number;
  /** True once the end has begun: a long sweep stops at its next step. */
  isClosing: () => boolean;
}

export interface IntakeJobs {
  jobs: RepeatedJob[];
  /** After rows came out of the spool: clicks may be known by now, and receipts may be older than the sweep looks. */
  spoolLoaded: (oldestMs: number) => Promise<void>;
}

export function intakeJobs({ pool, judge, tell, onNotJudged, now, isClosing }: IntakeJobDeps): IntakeJobs {
  /** Receipts that could not be judged, and when they are tried again. */
  const failing = new LRUCache<string, number>({ max: 10_000 });
  const judgeAll = async (receipts: ReceiptRecord[]): Promise<void> => {
    const waiting = [...receipts].reverse();
    const lane = async (): Promise<void> => {
      for (let receipt = waiting.pop(); receipt; receipt = waiting.pop()) {
        const { id, deskId } = receipt;
        // One that cannot be judged must not keep those behind it waiting.
        await judge(receipt).catch((error: unknown) => {
          failing.set(id, now() + TRY_AGAIN_MS);
          onNotJudged(id, error);
        });
        tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
      }
    };
    await Promise.all(Array.from({ length: Math.min(JUDGES, waiting.length) }, lane));
  };
  const from = new SweepFrom(now());
  const sweep = async (): Promise<void> => {
    const began = now();
    let after = '';
    for (;;) {
      const found = await unjudgedReceipts(pool, from.value, after);
      if (found.length === 0 && after === '') from.clean(began);
      await judgeAll(found.filter((r) => (failing.get(r.id) ?? 0) <= now()));
      // A full one: there are more, as after an outage, or behind some that cannot be judged.
      if (found.length < MAX_PER_SWEEP || isClosing()) return;
      after = found.at(-1)!.id;
    }
  };
  return {
    jobs: [
      { everyMs: SWEEP_EVERY_MS, run: sweep, trouble: 'judging waits' },
      {
        everyMs: ASK_AGAIN_EVERY_MS,
        run: async () => judgeAll(await unknownClicksDue(pool, false)),
        trouble: 'unknown clicks wait',
      },
      {
        everyMs: LOOK_BACK_EVERY_MS,
        run: () => Promise.resolve(from.lookBackAll(now())),
        trouble: 'the sweep looks back later',
      },
    ],
    spoolLoaded: async (oldestMs) => {
      from.lookBack(oldestMs);
      await judgeAll(await unknownClicksDue(pool, true));
    },
  };
}
