/** A refusal with its code from the catalogue; the last handler turns it into a problem document (RFC 9457). */
import { errorCatalogue, type ErrorCode, type PartRecord } from '@tracheon/core/contract';
import type { z } from 'zod';

export class Problem extends Error {
  constructor(
    readonly code: ErrorCode,
    readonly more: {
      detail?: string;
      fields?: { path: string; message: string }[];
      current?: PartRecord;
    } = {},
  ) {
    super(errorCatalogue[code].sentence);
  }
}

/** Parses input by its schema, or refuses with each field's message. */
export function parseInput<S extends z.ZodType>(schema: S, raw: unknown): z.output<S> {
  const parsed = schema.safeParse(raw);
  if (parsed.success) return parsed.data;
  throw new Problem('invalid_input', {
    fields: parsed.error.issues.map((i) => ({ path: i.path.join('.'), message: i.message })),
  });
}
