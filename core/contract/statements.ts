/** A network's own statement beside what is booked: what agrees, what differs, what is missing on either side. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { importSettings } from './imports.ts';
import { conversionStatus, isoTime, microsText } from './primitives.ts';
import { receiptBatch } from './repairs.ts';
import { MAX_AT_ONCE, pageOf } from './signals.ts';

/** In the order in which they are shown: what needs a decision first. */
export const lineKinds = [
  'missing_here',
  'missing_there',
  'amount_differs',
  'status_differs',
  'currency_differs',
  'unreadable',
  'repeated',
  'matched',
] as const;
export type LineKind = (typeof lineKinds)[number];
/** Those that booking the statement's row settles. */
export const bookableKinds = [
  'missing_here',
  'amount_differs',
  'status_differs',
  'currency_differs',
] as const;

const day = z.union([z.literal(''), z.iso.date()]).default('');
export const statementSettings = importSettings.safeExtend({
  /** The days of the statement, both inclusive, in its zone; empty: from its first date to its last. */
  from: day,
  to: day,
});
export type StatementSettings = z.infer<typeof statementSettings>;

const side = z.object({ status: conversionStatus, micros: microsText.nullable(), currency: z.string() });
export const statementLine = z.object({
  id: z.string(),
  /** Row of the file; null for a conversion that the file lacks. */
  n: z.int().nullable(),
  kind: z.enum(lineKinds),
  conversionId: z.string(),
  clickId: z.string(),
  transaction: z.string(),
  at: isoTime.nullable(),
  theirs: side.nullable(),
  ours: side.nullable(),
  /** Why a row can't be compared; otherwise empty. */
  why: z.string(),
  /** The import that booked it; empty while nobody has. */
  bookedBy: z.string(),
});
export type StatementLine = z.infer<typeof statementLine>;

export const statementSum = z.object({
  kind: z.enum(lineKinds),
  count: z.int(),
  booked: z.int(),
  theirs: z.array(z.object({ currency: z.string(), micros: microsText })),
  ours: z.array(z.object({ currency: z.string(), micros: microsText })),
});
export type StatementSum = z.infer<typeof statementSum>;

export const statement = z.object({
  batch: receiptBatch,
  fileName: z.string(),
  networkName: z.string(),
  from: z.string(),
  to: z.string(),
  sums: z.array(statementSum),
});
export type Statement = z.infer<typeof statement>;

export const statementEndpoints = {
  listStatements: {
    method: 'get',
    path: '/statements',
    group: 'Money',
    summary: 'Statements that were compared, newest first.',
    least: 'viewer',
    answer: z.array(statement),
  },
  statement: {
    method: 'get',
    path: '/statements/{id}',
    group: 'Money',
    summary: 'One statement with its sums by result.',
    least: 'viewer',
    answer: statement,
    refuses: ['not_found'],
  },
  compareStatement: {
    method: 'post',
    path: '/statements/{id}/compare',
    group: 'Money',
    summary:
      'Compare an uploaded statement with what is booked. Tracheon does it in the background; it books nothing.',
    least: 'editor',
    body: statementSettings,
    answer: receiptBatch,
    refuses: ['not_found', 'not_a_draft'],
  },
  statementLines: {
    method: 'get',
    path: '/statements/{id}/lines',
    group: 'Money',
    summary: 'The lines of a statement with one result.',
    least: 'viewer',
    query: z.object({
      kind: z.enum(lineKinds).default('missing_here'),
      cursor: z.string().max(30).default(''),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    answer: pageOf(statementLine),
    refuses: ['not_found'],
  },
  bookStatement: {
    method: 'post',
    path: '/statements/{id}/book',
    group: 'Money',
    summary:
      'Book rows of a statement as the network states them. They become an import of their own, which can be undone.',
    least: 'editor',
    body: z.object({
      kind: z.enum(bookableKinds),
      /** Lines by their IDs; none: all with this result. */
      lines: z.array(z.string().max(40)).max(MAX_AT_ONCE).default([]),
    }),
    answer: receiptBatch,
    refuses: ['not_found', 'nothing_to_book'],
  },
} as const satisfies Record<string, Endpoint>;
