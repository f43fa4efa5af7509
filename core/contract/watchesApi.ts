/** Endpoints of watches; part of the table in `late`. */
import { z } from 'zod';
import { dryRun, dryRunInput } from './dryRuns.ts';
import { nothing, type Endpoint } from './endpoint.ts';
import { notice } from './notices.ts';
import { watchChange, watchFinding, watchRecord, watchRun, watchTrial } from './watchFindings.ts';
import { watchInput } from './watches.ts';

export const watchEndpoints = {
  listWatches: {
    method: 'get',
    path: '/watches',
    group: 'Watches',
    summary: 'Watches, with their last and next check.',
    least: 'viewer',
    answer: z.object({ rows: z.array(watchRecord) }),
  },
  addWatch: {
    method: 'post',
    path: '/watches',
    group: 'Watches',
    summary: 'Add a watch.',
    least: 'editor',
    body: watchInput,
    answer: watchRecord,
    once: true,
  },
  tryWatch: {
    method: 'post',
    path: '/watches/try',
    group: 'Watches',
    summary: 'What a watch would find now. Tracheon does nothing about it.',
    least: 'viewer',
    body: watchInput,
    answer: watchTrial,
  },
  startDryRun: {
    method: 'post',
    path: '/watch-dry-runs',
    group: 'Watches',
    summary:
      'Try a watch on the past: each check by what was booked by then. Ask for its progress by the ID.',
    least: 'viewer',
    body: dryRunInput,
    answer: dryRun,
  },
  readDryRun: {
    method: 'get',
    path: '/watch-dry-runs/{id}',
    group: 'Watches',
    summary: 'How far a dry run is, and what it found. Tracheon keeps it for 15 minutes.',
    least: 'viewer',
    answer: dryRun,
    refuses: ['not_found'],
  },
  stopDryRun: {
    method: 'delete',
    path: '/watch-dry-runs/{id}',
    group: 'Watches',
    summary: 'Stop a dry run.',
    least: 'viewer',
    answer: nothing,
    refuses: ['not_found'],
  },
  changeWatch: {
    method: 'put',
    path: '/watches/{id}',
    group: 'Watches',
    summary: 'Change a watch, or switch it on or off.',
    least: 'editor',
    body: watchChange,
    answer: watchRecord,
    refuses: ['not_found', 'changed_meanwhile'],
  },
  removeWatch: {
    method: 'delete',
    path: '/watches/{id}',
    group: 'Watches',
    summary: 'Delete a watch with its findings. What it did stays done.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
  watchHistory: {
    method: 'get',
    path: '/watches/{id}/history',
    group: 'Watches',
    summary: 'The last checks and findings of a watch, newest first.',
    least: 'viewer',
    answer: z.object({ runs: z.array(watchRun), findings: z.array(watchFinding) }),
    refuses: ['not_found'],
  },
  decideFinding: {
    method: 'post',
    path: '/watch-findings/{id}/decide',
    group: 'Watches',
    summary: 'Act on a finding, leave it, or undo what was done.',
    least: 'editor',
    body: z.object({ decision: z.enum(['act', 'leave', 'undo']) }),
    answer: watchFinding,
    refuses: ['not_found', 'changed_meanwhile'],
  },
  listNotices: {
    method: 'get',
    path: '/notices',
    group: 'Watches',
    summary: 'The last notices of the desk, newest first, and the findings that wait for a decision.',
    least: 'viewer',
    answer: z.object({ notices: z.array(notice), asked: z.array(watchFinding) }),
  },
} as const satisfies Record<string, Endpoint>;
