/** Feeds: what networks and sources tell by their API, fetched day by day, first as an estimate and later for good. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { feedDay as day, feedInput } from './feedDescription.ts';
import { MAX_IMPORT_ROWS } from './imports.ts';
import { isoTime, microsText, recordId } from './primitives.ts';

export const MAX_FEED_DAYS = 92;
export const MAX_FEED_ROWS = MAX_IMPORT_ROWS;

/** `secret`: the key, the password or the secret; empty keeps the one that is there. It is never told again. */
export const feedSaved = feedInput.and(z.object({ secret: z.string().max(2000).default('') }));

/** `waiting`: a set that is empty or far below the estimates counts once a member confirms it. `stopped`: by a member. */
export const feedRunStates = [
  'queued',
  'running',
  'fetched',
  'done',
  'failed',
  'waiting',
  'stopped',
] as const;
export const feedRun = z.object({
  id: recordId,
  day: z.string(),
  state: z.enum(feedRunStates),
  isFinal: z.boolean(),
  isComplete: z.boolean(),
  rows: z.int(),
  amountMicros: microsText,
  /** As the provider states its total; null: it states none. */
  statedMicros: microsText.nullable(),
  /** Conversions that changed by it, or cost entries. */
  told: z.int(),
  problem: z.string(),
  /** Rows that book nothing, and why; empty: all do. */
  notes: z.string(),
  startedAt: isoTime,
  endedAt: isoTime.nullable(),
});
export type FeedRun = z.infer<typeof feedRun>;

export const feedRecord = z.object({
  id: recordId,
  body: feedInput,
  hasSecret: z.boolean(),
  /** The network that pays, or the source that bills. */
  partnerName: z.string(),
  lastRun: feedRun.nullable(),
  /** null: it is off. */
  nextAt: isoTime.nullable(),
  /** After several failures no run begins before it; null: they may. */
  restsUntil: isoTime.nullable(),
});
export type FeedRecord = z.infer<typeof feedRecord>;

/** What a day's answer looks like, without anything being kept of it. */
export const feedTrial = z.object({
  day: z.string(),
  /** A sentence; empty: rows came. */
  problem: z.string(),
  /** The fields of the first rows, with their values as they came. */
  rows: z.array(z.array(z.object({ at: z.string(), value: z.string() }))),
  count: z.int(),
  amountMicros: microsText,
  statedMicros: microsText.nullable(),
  isFinal: z.boolean(),
  /** Rows whose click ID is a visit of this desk; of costs, rows that are booked. */
  matched: z.int(),
  /** Why the others don't match, and what to do; empty: all match. */
  advice: z.string(),
});
export type FeedTrial = z.infer<typeof feedTrial>;

const period = z
  .object({ from: day, to: day })
  .refine((p) => p.from <= p.to, { error: 'The last day is before the first day.', path: ['to'] });

export const feedEndpoints = {
  listFeeds: {
    method: 'get',
    path: '/feeds',
    group: 'Money',
    summary: 'Feeds of revenue and cost, with their last and next run.',
    least: 'viewer',
    answer: z.object({ rows: z.array(feedRecord) }),
  },
  feedTemplateSchema: {
    method: 'get',
    path: '/feeds/template-schema',
    group: 'Money',
    summary: 'JSON Schema of the templates that describe a provider.',
    least: 'viewer',
    answer: z.looseObject({}),
  },
  addFeed: {
    method: 'post',
    path: '/feeds',
    group: 'Money',
    summary: 'Add a feed.',
    least: 'editor',
    body: feedSaved,
    answer: feedRecord,
    once: true,
  },
  changeFeed: {
    method: 'put',
    path: '/feeds/{id}',
    group: 'Money',
    summary: 'Change a feed. An empty secret keeps the one that is there.',
    least: 'editor',
    body: feedSaved,
    answer: feedRecord,
    refuses: ['not_found'],
  },
  tryFeed: {
    method: 'post',
    path: '/feeds/try',
    group: 'Money',
    summary: 'Fetch one day of a feed and show its rows. Tracheon keeps none of them.',
    least: 'editor',
    body: z.object({ feedId: recordId.or(z.literal('')).default(''), day, feed: feedSaved }),
    answer: feedTrial,
  },
  runFeed: {
    method: 'post',
    path: '/feeds/{id}/run',
    group: 'Money',
    summary: 'Fetch these days now.',
    least: 'editor',
    body: period,
    answer: z.object({ days: z.int() }),
    refuses: ['not_found'],
  },
  feedRuns: {
    method: 'get',
    path: '/feeds/{id}/runs',
    group: 'Money',
    summary: 'The last runs of a feed, newest first.',
    least: 'viewer',
    answer: z.object({
      rows: z.array(feedRun),
      /** Days that a member asked for together and that are not all there yet. */
      batch: z.object({ days: z.int(), ended: z.int(), failed: z.int() }).nullable(),
    }),
    refuses: ['not_found'],
  },
  stopFeed: {
    method: 'post',
    path: '/feeds/{id}/stop',
    group: 'Money',
    summary: 'Stop the runs that wait or fetch. What is being counted is finished.',
    least: 'editor',
    answer: z.object({ stopped: z.int() }),
    refuses: ['not_found'],
  },
  confirmFeedRun: {
    method: 'post',
    path: '/feed-runs/{id}/confirm',
    group: 'Money',
    summary: 'Let a report that is empty or much smaller than the estimates before it count.',
    least: 'editor',
    answer: feedRun,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
