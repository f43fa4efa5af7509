/**
 * Rows by COPY: several tables in one query message, so that a batch is one round trip and one transaction (PostgreSQL
 * manual, 55.2.2.1: statements of one message are an implicit transaction). A third of the cost of `insert … select from
 * unnest`, measured in docs/decisions/0007. COPY knows no `on conflict`: it is for rows that are written the first time.
 */
import pg, { type Connection, type PoolClient } from 'pg';
import { databaseJson } from './databaseJson.ts';

export interface Copy {
  /** `COPY … FROM STDIN` */
  text: string;
  /** Lines in COPY's text format; see `copyLine`. */
  data: string;
}

/** One line of the text format (PostgreSQL manual, COPY): tabs between, backslashes escape, `\N` is null. */
export function copyLine(values: readonly (string | null)[]): string {
  let line = '';
  for (const [i, value] of values.entries()) {
    if (i > 0) line += '\t';
    line += value === null ? '\\N' : copyText(value);
  }
  return `${line}\n`;
}
/** A value that is not null. */
export const copyText = (value: string): string => (/[\\\t\n\r]/.test(value) ? escape(value) : value);
const marks: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
const escape = (value: string): string => value.replace(/[\\\t\n\r]/g, (c) => marks[c]!);

/** Of rows whose columns have the names that they have in the table. An object or a list is JSON; what a row leaves out is null. */
export function copyOf(table: string, columns: readonly string[]): (rows: readonly object[]) => Copy {
  const text = `COPY ${table} (${columns.join(', ')}) FROM STDIN`;
  return (rows) => {
    let data = '';
    for (const row of rows) {
      for (const [i, column] of columns.entries())
        data += (i === 0 ? '' : '\t') + cell((row as Record<string, unknown>)[column]);
      data += '\n';
    }
    return { text, data };
  };
}
function cell(value: unknown): string {
  switch (typeof value) {
    case 'string':
      // The database takes no NUL in a text.
      return copyText(value.includes('\0') ? value.replaceAll('\0', '\ufffd') : value);
    case 'boolean':
      return value ? 't' : 'f';
    case 'number':
      return String(value);
    default:
      return value === null || value === undefined ? '\\N' : copyText(databaseJson(value));
  }
}

/**
 * Rejects with PostgreSQL's error, and then nothing was written; or when the connection breaks, and then nobody knows. The
 * connection may be a pipelined one.
 */
export function copyRows(client: PoolClient, copies: readonly Copy[]): Promise<void> {
  return new Promise((resolve, reject) => {
    const ended = (error: Error | null): void => (error ? reject(error) : resolve());
    // The driver calls it back; its types do not tell.
    (client as unknown as { query: (query: pg.Query, ended: (error: Error | null) => void) => void }).query(
      new CopyQuery(copies),
      ended,
    );
  });
}

/** One of the driver's own kind, since a pipelined connection takes no other. */
class CopyQuery extends pg.Query {
  constructor(private readonly copies: readonly Copy[]) {
    super({ text: '' }, []);
  }
  override submit = (connection: Connection): void => {
    connection.stream.write(copyMessages(this.copies));
  };
  handleCopyInResponse(): void {
    // What it asks for is on its way already.
  }
}

const [QUERY, COPY_DATA, COPY_DONE] = [0x51, 0x64, 0x63];
/** Type and length. */
const HEAD_BYTES = 5;

/**
 * The statements and all their rows in one write, without waiting until each table asks for its rows. Where one fails, the
 * rows that follow are passed over: outside of a copy the server ignores them (PostgreSQL manual, 55.2.6).
 */
export function copyMessages(copies: readonly Copy[]): Buffer {
  const text = copies.map((c) => c.text).join('; ');
  const sizes = copies.map((c) => Buffer.byteLength(c.data));
  const rows = sizes.reduce((sum, size) => sum + size + 2 * HEAD_BYTES, 0);
  const out = Buffer.allocUnsafe(HEAD_BYTES + Buffer.byteLength(text) + 1 + rows);
  let at = 0;
  const head = (type: number, bytes: number): void => {
    at = out.writeUInt8(type, at);
    // The length counts itself, and not the type.
    at = out.writeInt32BE(bytes + 4, at);
  };
  head(QUERY, Buffer.byteLength(text) + 1);
  at += out.write(text, at);
  at = out.writeUInt8(0, at);
  for (const [i, { data }] of copies.entries()) {
    head(COPY_DATA, sizes[i]!);
    at += out.write(data, at);
    head(COPY_DONE, 0);
  }
  return out;
}
