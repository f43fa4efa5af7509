/** Click IDs of an earlier tracker, out of a file: conversions that are still on their way find their campaign by them. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { dateOrders } from '../time/index.ts';
import { MAX_IMPORT_COLUMNS, MAX_TRIED_ROWS } from './imports.ts';
import { subName } from './primitives.ts';
import { receiptBatch } from './repairs.ts';
import { optionalZone } from './texts.ts';

export const carriedFields = [
  'click_id',
  'visit_time',
  'campaign',
  'offer',
  'source_click_id',
  'country',
] as const;
export type CarriedField = (typeof carriedFields)[number];

/** `sub_<name>` keeps a column as a named sub-ID; empty: not used. */
export const carriedTarget = z.union([
  z.enum(carriedFields),
  z.literal(''),
  z
    .string()
    .regex(/^sub_[a-z][a-z0-9_]*$/, 'Use letters, digits and _.')
    .refine((t) => subName.safeParse(t.slice(4)).success),
]);
export type CarriedTarget = z.infer<typeof carriedTarget>;

export const carriedSettings = z
  .object({
    /** By column. */
    targets: z.array(carriedTarget).max(MAX_IMPORT_COLUMNS),
    /** Of rows that name no campaign; empty: each row names its own. */
    campaignId: z.string().max(26).default(''),
    zone: optionalZone,
    dates: z.enum(dateOrders).default('ymd'),
  })
  .superRefine((s, ctx) => {
    const seen = new Set<string>();
    s.targets.forEach((target, i) => {
      if (target !== '' && seen.has(target))
        ctx.addIssue({
          code: 'custom',
          path: ['targets', i],
          message: 'Another column already has this meaning.',
        });
      seen.add(target);
    });
    const needs = (field: CarriedField, message: string): void => {
      if (!seen.has(field)) ctx.addIssue({ code: 'custom', path: ['targets'], message });
    };
    needs('click_id', 'Choose the column with the click ID of the earlier tracker.');
    needs('visit_time', 'Choose the column with the time of the visit.');
    if (s.campaignId === '')
      needs('campaign', 'Choose the column with the campaign, or one campaign for all rows.');
  });
export type CarriedSettings = z.infer<typeof carriedSettings>;

const problemRow = z.object({ n: z.int(), cells: z.array(z.string()), why: z.string() });
export const carriedTrial = z.object({
  tried: z.int(),
  /** Of these, how many can be carried over. */
  ready: z.int(),
  /** Whose click ID is there already, from an earlier file. */
  known: z.int(),
  /** The first rows that can't. */
  problems: z.array(problemRow),
});
export type CarriedTrial = z.infer<typeof carriedTrial>;

export const carriedEndpoints = {
  tryCarryOver: {
    method: 'post',
    path: '/carried-clicks/{id}/try',
    group: 'Signals',
    summary: `Show which of the first ${MAX_TRIED_ROWS} rows of an uploaded file can be carried over as click IDs of an earlier tracker. It saves nothing.`,
    least: 'editor',
    body: carriedSettings,
    answer: carriedTrial,
    refuses: ['not_found', 'not_a_draft'],
  },
  carryOver: {
    method: 'post',
    path: '/carried-clicks/{id}/run',
    group: 'Signals',
    summary: 'Carry over the click IDs of an uploaded file. Tracheon does it in the background.',
    least: 'editor',
    body: carriedSettings,
    answer: receiptBatch,
    refuses: ['not_found', 'not_a_draft'],
  },
  notCarried: {
    method: 'get',
    path: '/carried-clicks/{id}/problems',
    group: 'Signals',
    summary:
      'Rows of a file whose click IDs Tracheon did not carry over, each with the reason: the first 10 000.',
    least: 'viewer',
    answer: z.object({ header: z.array(z.string()), rows: z.array(problemRow) }),
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
