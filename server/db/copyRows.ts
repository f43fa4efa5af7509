/**
 * Rows by COPY: several tables in one query message, so that a batch is one round trip and one transaction (PostgreSQL
 * manual, 55.2.2.1: statements of one message are an implicit transaction). A third of the cost of `insert … select from
 * unnest`, measured in docs/decisions/0007. COPY knows no `on conflict`: it is for rows that are written the first time.
 */
import type { Connection, PoolClient, Submittable } from 'pg';

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

/** Rejects with PostgreSQL's error, and then nothing was written; or when the connection breaks, and then nobody knows. */
export function copyRows(client: PoolClient, copies: readonly Copy[]): Promise<void> {
  return new Promise((resolve, reject) => {
    client.query(new CopyIn(copies, (error) => (error ? reject(error) : resolve())));
  });
}

/** What the driver hands a query's messages to, as it does for cursors and streams. */
class CopyIn implements Submittable {
  private at = 0;

  constructor(
    private readonly copies: readonly Copy[],
    /** The driver wraps it for its own timeout, and calls it through this name. */
    public callback: (error: Error | null) => void,
  ) {}

  submit(connection: Connection): void {
    (connection as unknown as CopyConnection).query(this.copies.map((c) => c.text).join('; '));
  }
  handleCopyInResponse(connection: CopyConnection): void {
    connection.sendCopyFromChunk(Buffer.from(this.copies[this.at++]!.data, 'utf8'));
    connection.endCopyFrom();
  }
  handleCommandComplete(): void {
    // One for each table; the last word is ReadyForQuery.
  }
  handleReadyForQuery(): void {
    this.callback(null);
  }
  handleError(error: Error): void {
    this.callback(error);
    this.callback = () => undefined;
  }
}

interface CopyConnection {
  query: (text: string) => void;
  sendCopyFromChunk: (chunk: Buffer) => void;
  endCopyFrom: () => void;
}
