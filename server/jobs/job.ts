/** What a feature does beside the requests: over and over in every process, or by a timetable in one of them. */
import { repeatEvery, type Repeating } from './repeatEvery.ts';

export interface RepeatedJob {
  /** Between the end of a run and the next one. */
  everyMs: number;
  run: () => Promise<unknown>;
  /** Logged when a run fails; the next one tries again. */
  trouble: string;
  /** After the last run. */
  close?: () => Promise<void>;
}

/** Runs once among all processes that share a database. */
export interface ScheduledJob {
  /** Letters and hyphens; the same in every process. */
  name: string;
  /** Five fields, UTC. */
  cron: string;
  run: () => Promise<unknown>;
}

export function startJob(
  { everyMs, run, trouble, close }: RepeatedJob,
  onError: (trouble: string, error: unknown) => void,
): Repeating {
  const repeating = repeatEvery(everyMs, run, (error) => onError(trouble, error));
  return {
    stop: async () => {
      await repeating.stop();
      await close?.();
    },
  };
}
