/** What capture keeps in memory and the database keeps for it: written, counted and renewed beside the visits. */
import type { Pool } from 'pg';
import type { Impressions } from '../capture/impressions.ts';
import type { Memory } from '../capture/uniqueness.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import type { Snapshot } from '../snapshot/compiled.ts';
import type { SaltsByDay } from '../snapshot/keptGround.ts';
import type { CapKeeper } from './capKeeper.ts';
import type { ConvertedClicks } from './convertedClicks.ts';
import { currentSalts, saltsByDay } from './saltKeeper.ts';
import type { VisitLeases } from './visitLeases.ts';
import type { UnknownKeys } from './unknownKeys.ts';
import { writeImpressions } from './writeImpressions.ts';

const WRITE_IMPRESSIONS_EVERY_MS = 1000;
const COUNT_CAPS_EVERY_MS = 2000;
const KEEP_LEASES_EVERY_MS = 1000;
const COUNT_UNKNOWN_EVERY_MS = 5000;
/** Beside what is told of at once, in case a notice was lost. */
const LOAD_CONVERTED_EVERY_MS = 60_000;
const RENEW_SALTS_EVERY_MS = 900_000;

export interface CaptureJobDeps {
  pool: Pool;
  impressions: Impressions;
  caps: CapKeeper;
  leases: VisitLeases;
  converted: ConvertedClicks;
  unknown: UnknownKeys;
  memory: Memory;
  snapshot: () => Snapshot;
  /** Keeps the salts on disk, for a start without the database. */
  keepSalts: (salts: SaltsByDay) => Promise<void>;
  now: () => number;
}

export function captureJobs(deps: CaptureJobDeps): RepeatedJob[] {
  const { pool, impressions, caps, leases, converted, unknown, memory, snapshot, keepSalts, now } = deps;
  const renewSalts = async (): Promise<void> => {
    const salts = await currentSalts(pool, now());
    memory.setSalts(salts);
    await keepSalts(saltsByDay(now(), salts));
  };
  return [
    {
      everyMs: WRITE_IMPRESSIONS_EVERY_MS,
      run: () => writeImpressions(pool, impressions),
      trouble: 'impressions are written later',
    },
    { everyMs: COUNT_CAPS_EVERY_MS, run: () => caps.count(snapshot()), trouble: 'caps are as counted last' },
    {
      everyMs: KEEP_LEASES_EVERY_MS,
      run: () => leases.keep(snapshot()),
      trouble: 'visit caps go by what was allowed before',
      close: () => leases.close(),
    },
    { everyMs: COUNT_UNKNOWN_EVERY_MS, run: () => unknown.flush(), trouble: 'counts are written later' },
    { everyMs: LOAD_CONVERTED_EVERY_MS, run: () => converted.load(), trouble: 'who has converted waits' },
    { everyMs: RENEW_SALTS_EVERY_MS, run: renewSalts, trouble: 'salts wait' },
  ];
}
