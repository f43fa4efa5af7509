/** What a query finds, as PostgreSQL's COPY writes it, straight into a file: none of it becomes an object here. */
import { createWriteStream } from 'node:fs';
import type { Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import pg, { type Pool } from 'pg';

/** How DuckDB reads it. Null is `\N`, which a text of these letters is told from by its quotes. */
const COPIED = `(FORMAT csv, NULL '\\N')`;

const BLOCK = 256 * 1024;

/**
 * Writes the rows of `select` to `path`, readable by this user alone. Resolves with their number and with the last line;
 * rejects with PostgreSQL's error, or the file's.
 */
export async function copyOut(
  pool: Pool,
  select: string,
  path: string,
): Promise<{ rows: number; last: string }> {
  const client = await pool.connect();
  const file = createWriteStream(path, { mode: 0o600, highWaterMark: 4 * BLOCK });
  const written = finished(file);
  // It may fail before anybody waits for it.
  written.catch(() => undefined);
  let failed: Error | undefined;
  try {
    const query = new CopyOut(`COPY (${select}) TO STDOUT ${COPIED}`, file);
    await new Promise<void>((resolve, reject) => {
      written.catch(reject);
      // The driver calls it back; its types do not tell.
      (client as unknown as { query: (query: pg.Query, ended: (error: Error | null) => void) => void }).query(
        query,
        (error) => (error ? reject(error) : resolve()),
      );
    });
    query.flush();
    file.end();
    await written;
    return { rows: query.lines, last: query.last.toString() };
  } catch (error) {
    failed = error as Error;
    file.destroy();
    throw error;
  } finally {
    // A connection that is still telling is of no use to anybody.
    client.release(failed);
  }
}

interface Messages {
  stream: { pause: () => void; resume: () => void };
}
/** PostgreSQL sends each row as a message of its own, in memory that the driver uses again. */
class CopyOut extends pg.Query {
  lines = 0;
  last: Buffer = Buffer.alloc(0);
  private block = Buffer.allocUnsafe(BLOCK);
  private length = 0;
  private isWaiting = false;

  constructor(
    text: string,
    private readonly file: Writable,
  ) {
    super({ text }, []);
  }
  handleCopyData({ chunk }: { chunk: Buffer }, { stream }: Messages): void {
    if (this.length + chunk.length > this.block.length && !this.flush(chunk.length) && !this.isWaiting) {
      // Nothing more is read from the database until the file has taken what it was given, or has ended.
      this.isWaiting = true;
      stream.pause();
      const go = (): void => {
        this.isWaiting = false;
        this.file.off('drain', go).off('close', go);
        stream.resume();
      };
      this.file.once('drain', go).once('close', go);
    }
    chunk.copy(this.block, this.length);
    this.last = this.block.subarray(this.length, this.length + chunk.length);
    this.length += chunk.length;
    this.lines += 1;
  }
  /** false: the file has more than it can take. */
  flush(needed = 0): boolean {
    const hasRoom = this.file.write(this.block.subarray(0, this.length));
    this.block = Buffer.allocUnsafe(Math.max(BLOCK, needed));
    this.length = 0;
    return hasRoom;
  }
}
