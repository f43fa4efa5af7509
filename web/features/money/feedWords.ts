/** What a run of a feed came to, in words. */
import type { FeedRun } from '@tracheon/core/contract';

export const EXAMPLE_REPORT = 'https://api.partner.example/report?date={day}';
export const EXAMPLE_STATE = 'https://api.partner.example/reports/{report}';
export const EXAMPLE_FILE = 'https://api.partner.example/reports/{report}/file.csv';

/** Class of the words: what failed is an error, what is under way is quiet. */
export const runTone = ({ state }: Pick<FeedRun, 'state'>): string =>
  state === 'failed' ? 'error' : ['queued', 'running', 'fetched'].includes(state) ? 'quiet' : '';

export function runWords({ state, problem, isFinal, isComplete }: FeedRun): string {
  if (state === 'failed' || state === 'waiting') return problem;
  if (problem !== '') return `${problem} Tracheon tries again.`;
  if (state === 'stopped') return 'stopped';
  if (state === 'queued') return 'waits';
  if (state === 'running') return 'fetching';
  if (state === 'fetched') return 'being counted';
  return isFinal ? 'final' : isComplete ? 'estimate' : 'estimate, not all rows came';
}
