/**
 * Parts on the move: records whose references are names instead of IDs, so that a file made on one desk can be read on
 * another. A template is one such record with a title, for making new ones from it.
 */
import { z } from 'zod';
import { partKinds } from './parts.ts';
import { recordId, recordName } from './primitives.ts';

/** Raised when a newer file cannot be read by this code any more. */
export const PORTABLE_VERSION = 1;
export const MAX_PORTABLE_PARTS = 500;

export const portablePart = z.object({
  kind: z.enum(partKinds),
  body: z.looseObject({ name: z.string() }),
});
export type PortablePart = z.infer<typeof portablePart>;

export const portableFile = z.object({
  format: z.literal('tracheon-parts'),
  version: z.number().int(),
  parts: z.array(portablePart).max(MAX_PORTABLE_PARTS, `At most ${MAX_PORTABLE_PARTS} records.`),
});
export type PortableFile = z.infer<typeof portableFile>;

export const importInput = z.object({
  file: z.unknown(),
  /** Only look what would happen. */
  dryRun: z.boolean().default(true),
  /** What to do with names that the desk has already. */
  existing: z.enum(['refuse', 'skip']).default('refuse'),
});
export const importRow = z.object({
  kind: z.enum(partKinds),
  name: z.string(),
  action: z.enum(['create', 'skip', 'refused']),
  errors: z.array(z.object({ path: z.string(), message: z.string() })),
  /** Fields that are not read. */
  unread: z.array(z.string()),
});
export type ImportRow = z.infer<typeof importRow>;
export const importAnswer = z.object({
  /** True once everything is made; nothing is made when any row is refused. */
  done: z.boolean(),
  rows: z.array(importRow),
});
export type ImportAnswer = z.infer<typeof importAnswer>;

export const templateKinds = ['source', 'network'] as const;
export const templateInput = z.object({
  $schema: z.string().optional(),
  format: z.literal('tracheon-template'),
  version: z.literal(PORTABLE_VERSION, { error: 'This template comes from a newer version of Tracheon.' }),
  kind: z.enum(templateKinds),
  title: recordName,
  /** Kind of traffic of a source, kind of company of a network: push, search, direct advertiser. */
  category: z.string().trim().max(40, 'At most 40 characters.').default(''),
  /** What it is for, in a sentence. */
  about: z.string().trim().max(300, 'At most 300 characters.').default(''),
  body: z.looseObject({ name: z.string() }),
});
export type TemplateInput = z.infer<typeof templateInput>;
export const templateRow = templateInput.omit({ $schema: true }).extend({
  /** Empty for those that come with the program. */
  id: z.union([z.literal(''), recordId]),
});
export type TemplateRow = z.infer<typeof templateRow>;
