/** A refusal with its code from the catalogue; the last handler turns it into a problem document (RFC 9457). */
import { errorCatalogue, type ErrorCode, type StoredRecord } from '@tracheon/core/contract';
import type { z } from 'zod';

export class Problem extends Error {
  constructor(
    readonly code: ErrorCode,
    readonly more: {
      detail?: string;
      fields?: { path: string; message: string }[];
      current?: StoredRecord;
    } = {},
  ) {
    super(errorCatalogue[code].sentence);
  }
}

/** Parses input by its schema, or refuses with each field's message. */
export function parseInput<S extends z.ZodType>(schema: S, raw: unknown): z.output<S> {
  const path = unstorable(raw, []);
  if (path !== null)
    throw new Problem('unstorable_text', {
      fields: [{ path, message: 'This text contains a character that can’t be stored.' }],
    });
  const parsed = schema.safeParse(raw);
  if (parsed.success) return parsed.data;
  throw new Problem('invalid_input', {
    fields: parsed.error.issues.map((i) => ({ path: i.path.join('.'), message: i.message })),
  });
}

/** Path of the first text that PostgreSQL cannot hold: with NUL, or with half of a surrogate pair. */
function unstorable(value: unknown, path: string[]): string | null {
  if (typeof value === 'string') return value.includes('\0') || !value.isWellFormed() ? path.join('.') : null;
  if (typeof value !== 'object' || value === null) return null;
  for (const [key, inner] of Object.entries(value)) {
    const found = unstorable(key, [...path, key.slice(0, 40)]) ?? unstorable(inner, [...path, key]);
    if (found !== null) return found;
  }
  return null;
}
