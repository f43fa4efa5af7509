/** Conversions out of a file: uploaded, its columns mapped, tried, then imported as receipts. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { postbackFields } from './networks.ts';
import { recordId, subName } from './primitives.ts';
import { receiptBatch } from './repairs.ts';
import { postbackOutcomes } from './signals.ts';
import { optionalZone } from './texts.ts';
import { dateOrders } from '../time/index.ts';

export const MAX_IMPORT_ROWS = 250_000;
export const MAX_IMPORT_COLUMNS = 200;
/** Longer cells are cut; nothing of ours is longer. */
export const MAX_IMPORT_CELL = 1024;
/** Rows that are tried at most before the import. */
export const MAX_TRIED_ROWS = 1000;
/** Rows that the mapping shows. */
export const SHOWN_ROWS = 10;

/** `x_<name>` keeps a column as an extra; empty: not used. */
export const columnTarget = z.union([
  z.enum(postbackFields),
  z.literal(''),
  z
    .string()
    .regex(/^x_[a-z][a-z0-9_]*$/, 'Use letters, digits and _.')
    .refine((t) => subName.safeParse(t.slice(2)).success),
]);
export type ColumnTarget = z.infer<typeof columnTarget>;

export const importSettings = z
  .object({
    networkId: recordId,
    /** By column. */
    targets: z.array(columnTarget).max(MAX_IMPORT_COLUMNS),
    decimalMark: z.enum(['', '.', ',']).default(''),
    zone: optionalZone,
    dates: z.enum(dateOrders).default('ymd'),
  })
  .superRefine((s, ctx) => {
    const seen = new Set<string>();
    s.targets.forEach((target, i) => {
      if (target === '') return;
      if (seen.has(target))
        ctx.addIssue({
          code: 'custom',
          path: ['targets', i],
          message: 'Another column already has this meaning.',
        });
      seen.add(target);
    });
    if (!seen.has('click_id') && !seen.has('transaction'))
      ctx.addIssue({
        code: 'custom',
        path: ['targets'],
        message: 'Choose the column with the click ID or the transaction.',
      });
  });
export type ImportSettings = z.infer<typeof importSettings>;

export const importDraft = receiptBatch.extend({
  fileName: z.string(),
  header: z.array(z.string()),
  rows: z.array(z.array(z.string())),
  /** As it was mapped last for this network and these columns; else as the columns suggest. */
  settings: z.object({
    networkId: z.string(),
    targets: z.array(z.string()),
    decimalMark: z.enum(['', '.', ',']),
    zone: z.string(),
    dates: z.enum(dateOrders),
  }),
  /** The mapping is that of an earlier import. */
  isRemembered: z.boolean(),
});
export type ImportDraft = z.infer<typeof importDraft>;

export const importTrial = z.object({
  tried: z.int(),
  outcomes: z.array(z.object({ outcome: z.enum([...postbackOutcomes, 'known']), count: z.int() })),
  /** The first rows, and of each what it would do. */
  rows: z.array(
    z.object({ n: z.int(), outcome: z.enum([...postbackOutcomes, 'known']), sentence: z.string() }),
  ),
});
export type ImportTrial = z.infer<typeof importTrial>;

export const importEndpoints = {
  uploadImport: {
    method: 'post',
    path: '/imports',
    group: 'Signals',
    summary: 'Upload a file of conversions (CSV or XLSX). This books nothing yet.',
    least: 'editor',
    query: z.object({ name: z.string().max(200).default(''), network: z.string().max(26).default('') }),
    upload: true,
    answer: importDraft,
    refuses: ['unreadable_file', 'body_too_large'],
  },
  importDraft: {
    method: 'get',
    path: '/imports/{id}',
    group: 'Signals',
    summary: 'An import with its columns and first rows.',
    least: 'viewer',
    answer: importDraft,
    refuses: ['not_found'],
  },
  mapImport: {
    method: 'put',
    path: '/imports/{id}',
    group: 'Signals',
    summary: 'Set what the columns of an import mean, and how its amounts and dates are written.',
    least: 'editor',
    body: importSettings,
    answer: importDraft,
    refuses: ['not_found', 'not_a_draft'],
  },
  tryImport: {
    method: 'post',
    path: '/imports/{id}/try',
    group: 'Signals',
    summary: `Show what the first ${MAX_TRIED_ROWS} rows of an import would do. It saves nothing but the mapping.`,
    least: 'editor',
    body: importSettings,
    answer: importTrial,
    refuses: ['not_found', 'not_a_draft'],
  },
  runImport: {
    method: 'post',
    path: '/imports/{id}/run',
    group: 'Signals',
    summary: 'Start an import. Tracheon does it in the background.',
    least: 'editor',
    body: importSettings,
    answer: receiptBatch,
    refuses: ['not_found', 'not_a_draft'],
  },
  failedRows: {
    method: 'get',
    path: '/imports/{id}/failed',
    group: 'Signals',
    summary: 'Rows of an import that need repair, each with the reason: the first 10 000.',
    least: 'viewer',
    answer: z.object({
      header: z.array(z.string()),
      rows: z.array(z.object({ n: z.int(), cells: z.array(z.string()), why: z.string() })),
    }),
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
