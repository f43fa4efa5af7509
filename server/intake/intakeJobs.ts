/** Received postbacks that still have no outcome: of a process that died, of a full machine, of clicks that were not known yet. */
import type { Pool } from 'pg';
import type { StreamNews } from '@tracheon/core/contract';
import type { ReceiptRecord } from '../events/rows.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import type { Judgement } from './judge.ts';
import {
  MAX_PER_SWEEP,
  oldestUnderWay,
  SweepWindow,
  unjudgedReceipts,
  unknownClicksDue,
  type SweptDays,
} from './sweeper.ts';

const SWEEP_EVERY_MS = 1000;
/** Receipts of earlier days come from spools only. A process looks soon after it has loaded one; this is for those of others. */
const SWEEP_ANY_DAY_EVERY_MS = 5 * 60_000;
const SPOOL_SETTLES_MS = 5000;
const ASK_AGAIN_EVERY_MS = 10_000;
/** Receipts that wait to be judged at the same time; calls that come in meanwhile get in between. */
const JUDGES = 64;
/** A receipt that could not be judged is no news a second later. */
const TRY_AGAIN_MS = 30_000;
const MAX_FAILING = 10_000;

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
  /** After rows came out of the spool: clicks may be known by now. */
  spoolLoaded: () => Promise<void>;
}

export function intakeJobs({ pool, judge, tell, onNotJudged, now, isClosing }: IntakeJobDeps): IntakeJobs {
  /** Receipts that could not be judged, and when they are tried again; the sweep itself has passed them. */
  const failing = new Map<string, { receipt: ReceiptRecord; againMs: number }>();
  const judgeAll = async (receipts: ReceiptRecord[]): Promise<void> => {
    const waiting = [...receipts].reverse();
    const lane = async (): Promise<void> => {
      for (let receipt = waiting.pop(); receipt; receipt = waiting.pop()) {
        const { id, deskId } = receipt;
        // One that cannot be judged must not keep those behind it waiting.
        await judge(receipt).then(
          () => failing.delete(id),
          (error: unknown) => {
            failing.set(id, { receipt, againMs: now() + TRY_AGAIN_MS });
            onNotJudged(id, error);
          },
        );
        tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
      }
    };
    await Promise.all(Array.from({ length: Math.min(JUDGES, waiting.length) }, lane));
  };
  const swept = { recent: new SweepWindow(), any: new SweepWindow() };
  /** A question about whatever day opens every partition there is, so it is asked seldom. */
  let anyDayDueMs = 0;
  const sweep = async (): Promise<void> => {
    await judgeAll([...failing.values()].filter((f) => f.againMs <= now()).map((f) => f.receipt));
    const nowMs = performance.now();
    const xmin = await oldestUnderWay(pool);
    const windows = { recent: swept.recent.next(xmin, nowMs), any: swept.any.next(xmin, nowMs) };
    const days: SweptDays = nowMs >= anyDayDueMs ? 'any' : 'recent';
    const window = windows[days];
    let after = '';
    for (;;) {
      const found = await unjudgedReceipts(pool, window, { days, nowMs: now(), after });
      await judgeAll(found.filter((r) => !failing.has(r.id)));
      // Too many to remember each: they are found by the next sweep.
      if (isClosing() || failing.size > MAX_FAILING) return;
      // A full one: there are more, as after an outage.
      if (found.length < MAX_PER_SWEEP) break;
      after = found.at(-1)!.id;
    }
    swept.recent.done(window);
    if (days === 'recent') return;
    swept.any.done(window);
    anyDayDueMs = nowMs + SWEEP_ANY_DAY_EVERY_MS;
  };
  return {
    jobs: [
      { everyMs: SWEEP_EVERY_MS, run: sweep, trouble: 'judging waits' },
      {
        everyMs: ASK_AGAIN_EVERY_MS,
        run: async () => judgeAll(await unknownClicksDue(pool, false)),
        trouble: 'unknown clicks wait',
      },
    ],
    spoolLoaded: async () => {
      // What waited there may be of any day. The next sweep only looks at what is old enough by then.
      anyDayDueMs = Math.min(anyDayDueMs, performance.now() + SPOOL_SETTLES_MS);
      await judgeAll(await unknownClicksDue(pool, true));
    },
  };
}
