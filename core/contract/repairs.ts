/**
 * Needs repair: groups of alike postbacks, the one change that fixes a group, what it would do before it is done, and the run
 * that does it. Amounts are micro-units in decimal text.
 */
import { z } from 'zod';
import { type Endpoint } from './endpoint.ts';
import { postbackFields, statusMeanings } from './networks.ts';
import { currencyCode, isoTime, microsText, parameterName, recordId } from './primitives.ts';
import { judgementAnswer, postbackOutcomes, postbackReasons, setAsideInput } from './signals.ts';
import { addressRange, isoDay, word } from './texts.ts';

/** The one change to a network that repairs a group; `none`: the postbacks are only processed again. */
export const networkFix = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('none') }),
  z.object({
    kind: z.literal('status_word'),
    word,
    means: z.enum(statusMeanings, 'Choose what this word means.'),
  }),
  z.object({ kind: z.literal('event_word'), word, eventTypeId: recordId }),
  z.object({ kind: z.literal('currency_word'), word, currency: currencyCode }),
  z.object({ kind: z.literal('decimal_mark'), mark: z.enum(['.', ',']) }),
  z.object({ kind: z.literal('negative') }),
  z.object({ kind: z.literal('parameter'), field: z.enum(postbackFields), parameter: parameterName }),
  z.object({ kind: z.literal('address'), range: addressRange }),
]);
export type NetworkFix = z.infer<typeof networkFix>;

const sum = z.object({ currency: z.string(), micros: microsText });
/** What tells one group of a desk from the others. */
const groupName = {
  networkId: recordId,
  outcome: z.enum(['repair', 'held']),
  reason: z.enum(postbackReasons),
  /** The word, the macro, the parameter that they have in common; empty where the reason is all. */
  key: z.string().max(200),
};
export const repairGroup = z.object({
  ...groupName,
  networkName: z.string(),
  /** As the network wrote it. */
  detail: z.string(),
  count: z.int(),
  firstAt: isoTime,
  lastAt: isoTime,
  /** What they would pay, where that can be read. */
  waiting: z.array(sum),
  /** Of the newest ones whose visit is known. */
  offerNames: z.array(z.string()),
  /** Parameters of the newest ones, with how many of those carry one of our click IDs in it. */
  clickIdIn: z.array(z.object({ parameter: z.string(), count: z.int() })),
  /** The newest one. */
  exampleId: recordId,
});
export type RepairGroup = z.infer<typeof repairGroup>;

/** Newest postbacks of a group that are tried before it is repaired. */
export const MAX_PREVIEWED = 2000;
/** Latest postbacks of a network that a change of its reading is tried on. */
export const TRIED_POSTBACKS = 200;

export const readingTrial = z.object({
  tried: z.int(),
  /** Understood before and after, and not the same. */
  changed: z.int(),
  /** Understood only with the change. */
  mended: z.int(),
  /** Understood now, and no longer with the change. */
  broken: z.int(),
  /** Broken ones first. */
  examples: z.array(
    z.object({
      id: recordId,
      what: z.enum(['broken', 'changed']),
      before: z.string(),
      after: z.string(),
    }),
  ),
});
export type ReadingTrial = z.infer<typeof readingTrial>;

const groupOnly = z.object(groupName);
const groupFix = z.object({
  ...groupName,
  fix: networkFix,
  /** Sources get postbacks only for conversions that are no older than so many days; null: for all. */
  reportDays: z.int().min(0).max(365).nullable().default(3),
});
export const repairPreview = z.object({
  /** In the group, and of these tried: the newest. */
  count: z.int(),
  tried: z.int(),
  outcomes: z.array(z.object({ outcome: z.enum(postbackOutcomes), count: z.int() })),
  money: z.array(z.object({ kind: z.enum(['hold', 'earn']), currency: z.string(), micros: microsText })),
  /** In the desk's currency, by day of the conversion. */
  byDay: z.array(z.object({ day: isoDay, holdMicros: microsText, earnMicros: microsText })),
  postbacks: z.array(
    z.object({
      sourceName: z.string(),
      count: z.int(),
      /** Of conversions that are no older than the days asked for. */
      recent: z.int(),
    }),
  ),
  lately: readingTrial,
});
export type RepairPreview = z.infer<typeof repairPreview>;

export const batchStates = ['draft', 'running', 'stopped', 'done', 'undoing', 'undone'] as const;
export const receiptBatch = z.object({
  id: recordId,
  kind: z.enum(['file', 'hand', 'repair', 'statement', 'carried']),
  networkId: z.string(),
  words: z.string(),
  state: z.enum(batchStates),
  total: z.int(),
  /** How many have been processed. */
  finished: z.int(),
  /** What has become of them; empty while it runs. */
  results: z.array(z.object({ outcome: z.string(), count: z.int() })),
  /** What went wrong on the way; otherwise empty. */
  problem: z.string(),
  /** Postbacks to sources that went out because of it, and that no undoing calls back. */
  sentOn: z.int(),
  by: z.string(),
  at: isoTime,
});
export type ReceiptBatch = z.infer<typeof receiptBatch>;

export const repairEndpoints = {
  repairGroups: {
    method: 'get',
    path: '/repair-groups',
    group: 'Signals',
    summary: 'Postbacks that need repair, in groups of alike problems, largest first.',
    least: 'viewer',
    answer: z.array(repairGroup),
  },
  previewRepair: {
    method: 'post',
    path: '/repair-groups/preview',
    group: 'Signals',
    summary: 'Show what a change to a network would make of a group of postbacks. It saves nothing.',
    least: 'editor',
    body: groupFix,
    answer: repairPreview,
    refuses: ['not_found'],
  },
  repairGroup: {
    method: 'post',
    path: '/repair-groups/repair',
    group: 'Signals',
    summary: 'Change a network and reprocess a group of postbacks. Tracheon does it in the background.',
    least: 'editor',
    body: groupFix,
    answer: receiptBatch,
    refuses: ['not_found', 'nothing_to_repair'],
  },
  setAsideGroup: {
    method: 'post',
    path: '/repair-groups/set-aside',
    group: 'Signals',
    summary: 'Set aside a group of postbacks that you can’t repair.',
    least: 'editor',
    body: groupOnly.extend({ why: setAsideInput.shape.reason }),
    answer: z.object({ changed: z.int() }),
  },
  tryPostback: {
    method: 'post',
    path: '/postbacks-in/{id}/try',
    group: 'Signals',
    summary: 'Show what Tracheon would do if the same postback came again now. It saves nothing.',
    least: 'editor',
    answer: judgementAnswer,
    refuses: ['not_found'],
  },
  tryReading: {
    method: 'post',
    path: '/parts/network/{id}/try',
    group: 'Signals',
    summary: `Show how a changed network would read its last ${TRIED_POSTBACKS} postbacks. It saves nothing.`,
    least: 'editor',
    body: z.object({ body: z.unknown() }),
    answer: readingTrial,
    refuses: ['not_found'],
  },
  listBatches: {
    method: 'get',
    path: '/receipt-batches',
    group: 'Signals',
    summary: 'Repairs, imports and changes by hand, newest first.',
    least: 'viewer',
    answer: z.array(receiptBatch),
  },
  receiptBatch: {
    method: 'get',
    path: '/receipt-batches/{id}',
    group: 'Signals',
    summary: 'One repair, import or change by hand, with its progress.',
    least: 'viewer',
    answer: receiptBatch,
    refuses: ['not_found'],
  },
  stopBatch: {
    method: 'post',
    path: '/receipt-batches/{id}/stop',
    group: 'Signals',
    summary: 'Stop a running repair or import. What it has done stays.',
    least: 'editor',
    answer: receiptBatch,
    refuses: ['not_found'],
  },
  resumeBatch: {
    method: 'post',
    path: '/receipt-batches/{id}/resume',
    group: 'Signals',
    summary: 'Go on with a stopped repair or import.',
    least: 'editor',
    answer: receiptBatch,
    refuses: ['not_found'],
  },
  undoBatch: {
    method: 'post',
    path: '/receipt-batches/{id}/undo',
    group: 'Signals',
    summary: 'Undo a repair, an import or a change by hand as a whole. Postbacks that were sent stay sent.',
    least: 'editor',
    answer: receiptBatch,
    refuses: ['not_found', 'not_undoable'],
  },
} as const satisfies Record<string, Endpoint>;
