/**
 * Parts on the move: records whose references are names instead of IDs, so that a file made on one desk can be read on
 * another. A template is one such record with a title, for making new ones from it.
 */
import { z } from 'zod';
import { partInputs, partKinds, wholeBody, type PartKind, type PartRecord } from './parts.ts';
import { recordId, recordName } from './primitives.ts';

/** Raised when a newer file cannot be read by this code any more. */
export const PORTABLE_VERSION = 1;
export const MAX_PORTABLE_PARTS = 500;

/** Fields of each kind that hold the ID of another record, and of which kind that one is; `list[].field` is in each of a list. */
export const references: Record<PartKind, readonly (readonly [path: string, to: PartKind])[]> = {
  network: [['eventWords[].eventTypeId', 'event-type']],
  source: [['reportEvents[]', 'event-type']],
  'landing-page': [],
  offer: [
    ['networkId', 'network'],
    ['fallbackOfferId', 'offer'],
    ['payouts[].eventTypeId', 'event-type'],
    ['conversionsFrom[].eventTypeId', 'event-type'],
  ],
  'event-type': [],
  campaign: [
    ['sourceId', 'source'],
    ['offerId', 'offer'],
    ['landingPageId', 'landing-page'],
  ],
};

type Swap = (value: string, to: PartKind, path: string) => string;

/** The body with every reference that is not empty swapped for something else. */
export function replaceReferences(kind: PartKind, body: unknown, swap: Swap): Record<string, unknown> {
  const copy = structuredClone(body) as Record<string, unknown>;
  for (const [path, to] of references[kind]) replaceAt(copy, path, to, swap);
  return copy;
}

function replaceAt(holder: Record<string, unknown>, path: string, to: PartKind, swap: Swap): void {
  const [head = '', field] = path.split('[]');
  const change = (value: unknown, at: string): unknown =>
    typeof value === 'string' && value !== '' ? swap(value, to, at) : value;
  if (field === undefined) holder[head] = change(holder[head], head);
  else if (Array.isArray(holder[head])) {
    const list = holder[head] as unknown[];
    list.forEach((item, i) => {
      const name = field.replace(/^\./, '');
      if (name === '') list[i] = change(item, `${head}.${i}`);
      else if (typeof item === 'object' && item !== null)
        (item as Record<string, unknown>)[name] = change(
          (item as Record<string, unknown>)[name],
          `${head}.${i}.${name}`,
        );
    });
  }
}

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

/** Records with names for IDs; a reference to what is not among `all` stays empty. */
export function toPortable(records: readonly PartRecord[], all: readonly PartRecord[]): PortableFile {
  const names = new Map(all.map((p) => [p.id, p.body.name]));
  return {
    format: 'tracheon-parts',
    version: PORTABLE_VERSION,
    parts: records.map((r) => ({
      kind: r.kind,
      body: replaceReferences(r.kind, r.body, (id) => names.get(id) ?? '') as PortablePart['body'],
    })),
  };
}

/** Top-level fields that this kind does not have: a typing mistake, or from a newer version. */
export const unknownFields = (kind: PartKind, body: object): string[] =>
  Object.keys(body).filter((key) => !(key in partInputs[kind].shape));

/** In an order in which each is made after what it refers to. */
export const makingOrder: readonly PartKind[] = [
  'event-type',
  'network',
  'source',
  'landing-page',
  'offer',
  'campaign',
];

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

/** The body of a template as a new record's, fields that came after it included. */
export const templateBody = (t: TemplateRow): unknown => wholeBody(t.kind, t.body);
