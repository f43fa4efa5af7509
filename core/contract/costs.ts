/** What sources billed: cost entries by hand and by file, and what they say of visits. */
import { z } from 'zod';
import { dateOrders, daysIn, isDay } from '../time/index.ts';
import { type Endpoint, nothing } from './endpoint.ts';
import { MAX_IMPORT_COLUMNS } from './imports.ts';
import { isoTime, microsText, recordId, subName } from './primitives.ts';
import { pageOf } from './signals.ts';
import { byTime, listQuery } from './signalsApi.ts';
import { notes, optionalZone } from './texts.ts';

/** Longest period of one entry. */
export const MAX_ENTRY_DAYS = 400;
export const MAX_ENTRY_SUBS = 4;
const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
const sub = z.object({ name: subName, value: z.string().trim().min(1, 'Enter a value.').max(512) });

export const costInput = z
  .object({
    sourceId: z.string().min(1, 'Choose the source.'),
    /** Empty: all campaigns of the source. */
    campaignId: z.string().max(26).default(''),
    /** Empty: all accounts. */
    accountId: z.string().max(80).default(''),
    /** Only visits with all of these values. */
    subs: z.array(sub).max(MAX_ENTRY_SUBS, `At most ${MAX_ENTRY_SUBS} values.`).default([]),
    /** First and last day in the source's time zone, both included. */
    from: day,
    to: day,
    /** The source gives it back: it lowers the cost of its day instead of replacing it. */
    isCredit: z.boolean().default(false),
    /** In the currency of the source. */
    amountMicros: z
      .string()
      .min(1, 'Enter the amount.')
      .pipe(microsText.refine((s) => !s.startsWith('-'), 'Enter zero or more.')),
    notes,
  })
  .superRefine((c, ctx) => {
    if (c.to < c.from)
      ctx.addIssue({ code: 'custom', path: ['to'], message: 'The last day is before the first.' });
    else if (daysIn(c) > MAX_ENTRY_DAYS)
      ctx.addIssue({ code: 'custom', path: ['to'], message: `At most ${MAX_ENTRY_DAYS} days.` });
    const names = c.subs.map((s) => s.name);
    names.forEach((name, i) => {
      if (names.indexOf(name) !== i)
        ctx.addIssue({ code: 'custom', path: ['subs', i, 'name'], message: 'This sub-ID is there already.' });
    });
  });
export type CostInput = z.output<typeof costInput>;

export const costKinds = ['hand', 'file', 'feed'] as const;
const costSum = z.object({ currency: z.string(), amountMicros: microsText, creditMicros: microsText });
/** What was entered at once, and is undone as one. */
export const costLoad = z.object({
  id: recordId,
  kind: z.enum(costKinds),
  isUndone: z.boolean(),
  sourceId: z.string(),
  sourceName: z.string(),
  fileName: z.string(),
  notes: z.string(),
  entries: z.int(),
  /** First and last day of all entries. */
  from: z.string(),
  to: z.string(),
  sums: z.array(costSum),
  by: z.string(),
  at: isoTime,
  undoneBy: z.string(),
});
export type CostLoad = z.infer<typeof costLoad>;

export const costEntry = z.object({
  id: z.string(),
  campaignId: z.string(),
  campaignName: z.string(),
  accountId: z.string(),
  subs: z.array(z.object({ name: z.string(), value: z.string() })),
  from: z.string(),
  to: z.string(),
  isCredit: z.boolean(),
  amountMicros: microsText,
  currency: z.string(),
});
export type CostEntryRow = z.infer<typeof costEntry>;

/** What a column of a cost file can mean; `sub_<name>` is a named sub-ID. */
export const costColumns = [
  'day',
  'first_day',
  'last_day',
  'campaign',
  'account',
  'amount',
  'currency',
] as const;
export const costTarget = z.union([
  z.literal(''),
  z.enum(costColumns),
  z
    .string()
    .regex(/^sub_[a-z][a-z0-9_]*$/, 'Use letters, digits and _.')
    .refine((t) => subName.safeParse(t.slice(4)).success),
]);
export type CostTarget = z.infer<typeof costTarget>;

export const costFileSettings = z
  .object({
    targets: z.array(costTarget).max(MAX_IMPORT_COLUMNS),
    decimalMark: z.enum(['', '.', ',']).default(''),
    dates: z.enum(dateOrders).default('ymd'),
    /** Of its days; empty: the source's, else the desk's. */
    zone: optionalZone,
    /** All rows are of this campaign; empty: as a column says, or all of the source. */
    campaignId: z.string().max(26).default(''),
    /** As the source states it, to be compared with the sum of the rows; empty: not stated. */
    statedMicros: z.union([z.literal(''), microsText]).default(''),
  })
  .superRefine((s, ctx) => {
    const seen = new Set<string>();
    const add = (path: (string | number)[], message: string): void =>
      void ctx.addIssue({ code: 'custom', path, message });
    s.targets.forEach((target, i) => {
      if (target !== '' && seen.has(target)) add(['targets', i], 'Another column already has this meaning.');
      seen.add(target);
    });
    if (!seen.has('amount')) add(['targets'], 'Choose the column with the amount.');
    if (!seen.has('day') && !(seen.has('first_day') && seen.has('last_day')))
      add(['targets'], 'Choose the column with the day, or the two with the first and the last day.');
  });
export type CostFileSettings = z.output<typeof costFileSettings>;

export const costFileDraft = z.object({
  id: recordId,
  sourceId: z.string(),
  fileName: z.string(),
  total: z.int(),
  header: z.array(z.string()),
  rows: z.array(z.array(z.string())),
  settings: z.object({
    targets: z.array(z.string()),
    decimalMark: z.enum(['', '.', ',']),
    dates: z.enum(dateOrders),
    zone: z.string(),
    campaignId: z.string(),
    statedMicros: z.string(),
  }),
  /** The mapping is that of the last file of this source with these columns. */
  isRemembered: z.boolean(),
  /** When the same file was loaded, and by whom; null: never, or it was undone. */
  loadedBefore: z.object({ at: isoTime, by: z.string() }).nullable(),
});
export type CostFileDraft = z.infer<typeof costFileDraft>;

export const costFileTrial = z.object({
  /** Rows that become entries. */
  entries: z.int(),
  /** Rows that say the same as an entry that is there already; they change nothing. */
  same: z.int(),
  /** Rows that repeat another row's day and values; the last of them counts. */
  repeated: z.int(),
  from: z.string(),
  to: z.string(),
  sums: z.array(costSum),
  /** What the file or the member states as its total, by currency where it is known; null: nothing is stated. */
  stated: z.object({ amountMicros: microsText, agrees: z.boolean() }).nullable(),
  /** Rows that can't be read, the first ones with their reasons. */
  unreadable: z.int(),
  problems: z.array(z.object({ n: z.int(), why: z.string() })),
});
export type CostFileTrial = z.infer<typeof costFileTrial>;

/** Visits whose cost is missing or hard to believe, by campaign and reason. */
export const costChecks = z.array(
  z.object({
    campaignId: z.string(),
    campaignName: z.string(),
    note: z.enum(['no_cost', 'unreadable_cost', 'odd_cost']),
    visits: z.int(),
    /** One of them. */
    example: z.string(),
  }),
);
export type CostChecks = z.infer<typeof costChecks>;

const needsDays = z
  .object({ from: day, to: day })
  .refine(({ from, to }) => from <= to && daysIn({ from, to }) <= 31, {
    error: 'The first day must not be after the last one, and a period has at most 31 days.',
    path: ['from'],
  });
const { search, cursor, limit } = listQuery;

export const costEndpoints = {
  listCosts: {
    method: 'get',
    path: '/costs',
    group: 'Money',
    summary: 'Costs that were added by hand or loaded from files, newest first.',
    least: 'viewer',
    query: z.object({ search, cursor, limit, sort: byTime, source: z.string().max(26).default('') }),
    answer: pageOf(costLoad),
  },
  costEntries: {
    method: 'get',
    path: '/costs/{id}/entries',
    group: 'Money',
    summary: 'The entries of a load.',
    least: 'viewer',
    query: z.object({ search, cursor, limit }),
    answer: pageOf(costEntry),
    refuses: ['not_found'],
  },
  addCost: {
    method: 'post',
    path: '/costs',
    group: 'Money',
    summary: 'Add what a source billed for a period, or what it gave back.',
    least: 'editor',
    body: costInput,
    answer: costLoad,
    once: true,
  },
  undoCost: {
    method: 'post',
    path: '/costs/{id}/undo',
    group: 'Money',
    summary: 'Undo a load: its entries no longer count. Visits cost again what they cost without it.',
    least: 'editor',
    answer: costLoad,
    refuses: ['not_found'],
  },
  restoreCost: {
    method: 'post',
    path: '/costs/{id}/restore',
    group: 'Money',
    summary: 'Let a load that was undone count again.',
    least: 'editor',
    answer: costLoad,
    refuses: ['not_found'],
  },
  costChecks: {
    method: 'get',
    path: '/cost-checks',
    group: 'Money',
    summary:
      'Visits without a cost in the link, with one that can’t be read, or with one far from the usual bid.',
    least: 'viewer',
    query: needsDays,
    answer: costChecks,
  },
  uploadCostFile: {
    method: 'post',
    path: '/cost-files',
    group: 'Money',
    summary: 'Upload a cost file of a source (CSV or XLSX). It counts only once you load it.',
    least: 'editor',
    query: z.object({ name: z.string().max(200).default(''), source: recordId }),
    upload: true,
    answer: costFileDraft,
    refuses: ['unreadable_file', 'body_too_large'],
  },
  costFileDraft: {
    method: 'get',
    path: '/cost-files/{id}',
    group: 'Money',
    summary: 'A cost file that is not loaded yet, with its columns and first rows.',
    least: 'viewer',
    answer: costFileDraft,
    refuses: ['not_found'],
  },
  tryCostFile: {
    method: 'post',
    path: '/cost-files/{id}/try',
    group: 'Money',
    summary: 'Show what loading a cost file would do. It saves the mapping only.',
    least: 'editor',
    body: costFileSettings,
    answer: costFileTrial,
    refuses: ['not_found'],
  },
  loadCostFile: {
    method: 'post',
    path: '/cost-files/{id}/load',
    group: 'Money',
    summary: 'Load a cost file. Rows that can’t be read are left out.',
    least: 'editor',
    body: costFileSettings,
    answer: costLoad,
    refuses: ['not_found', 'no_cost_rows'],
  },
  dropCostFile: {
    method: 'delete',
    path: '/cost-files/{id}',
    group: 'Money',
    summary: 'Delete a cost file that is not loaded.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
