/** A file of records as JSON or as CSV: the same records, a line each, what is nested as JSON in its cell. */
import Papa from 'papaparse';
import { PORTABLE_VERSION, type PortableFile, type PortablePart } from '@tracheon/core/contract';

const HEAD = ['kind', 'name', 'tags', 'notes', 'rest'] as const;

export function toCsv(file: PortableFile): string {
  const rows = file.parts.map(({ kind, body }) => {
    const {
      name,
      tags = [],
      notes = '',
      ...rest
    } = body as PortablePart['body'] & { tags?: string[]; notes?: string };
    return [kind, name, tags.join(', '), notes, JSON.stringify(rest)];
  });
  // Cells that a spreadsheet would run as formulas are marked.
  return Papa.unparse({ fields: [...HEAD], data: rows }, { escapeFormulae: true });
}

/** What a file holds: JSON as it was written, or the lines of a CSV. Throws a sentence. */
export function readPartsFile(text: string): unknown {
  const trimmed = text.trimStart();
  if (trimmed.startsWith('{') || trimmed.startsWith('[')) {
    try {
      return JSON.parse(trimmed);
    } catch {
      throw new Error('The file is not valid JSON.');
    }
  }
  const { data, meta } = Papa.parse<Record<string, string>>(trimmed, { header: true, skipEmptyLines: true });
  if (!HEAD.every((h) => meta.fields?.includes(h)))
    throw new Error(
      `This file does not contain exported records. Its first line should be ${HEAD.join(', ')}.`,
    );
  const plain = (cell: string | undefined): string => (cell ?? '').replace(/^'(?=[=+\-@\t\r])/, '');
  const parts = data.map((row, i) => {
    let rest: object;
    try {
      rest = JSON.parse(plain(row.rest) || '{}') as object;
    } catch {
      throw new Error(`Line ${i + 2}: the last cell is not valid JSON.`);
    }
    const tags = plain(row.tags)
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean);
    return {
      kind: row.kind?.trim(),
      body: { ...rest, name: plain(row.name), tags, notes: plain(row.notes) },
    };
  });
  return { format: 'tracheon-parts', version: PORTABLE_VERSION, parts };
}
