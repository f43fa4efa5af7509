/** An uploaded file's rows, kept as they came, a thousand at a time. Throws FileProblem. */
import { createHash } from 'node:crypto';
import { MAX_IMPORT_ROWS, SHOWN_ROWS } from '@tracheon/core/contract';
import { FileProblem } from './fileProblem.ts';
import { readTable } from './readTable.ts';

const WRITTEN_TOGETHER = 1000;

export interface KeptRows {
  header: string[];
  /** The first rows. */
  samples: string[][];
  count: number;
  /** Of the cells: the same rows have the same one, whatever kind of file they come in. */
  hash: string;
}

/** `write`: the numbers of rows, from 1, and their cells as JSON. */
export async function keepFileRows(
  input: AsyncIterable<Buffer>,
  write: (numbers: number[], cells: string[]) => Promise<unknown>,
): Promise<KeptRows> {
  const hash = createHash('sha256');
  let header: string[] | null = null;
  const samples: string[][] = [];
  let waiting: string[] = [];
  let count = 0;
  const writeWaiting = async (): Promise<void> => {
    if (waiting.length === 0) return;
    const first = count - waiting.length + 1;
    await write(
      waiting.map((_, i) => first + i),
      waiting,
    );
    waiting = [];
  };
  for await (const row of readTable(input)) {
    if (row.every((cell) => cell.trim() === '')) continue;
    const text = JSON.stringify(row);
    hash.update(text);
    if (header === null) {
      header = row.map((name) => name.trim());
      continue;
    }
    count += 1;
    if (count > MAX_IMPORT_ROWS)
      throw new FileProblem(`It has more than ${MAX_IMPORT_ROWS} rows. Split it into several files.`);
    if (samples.length < SHOWN_ROWS) samples.push(row);
    waiting.push(text);
    if (waiting.length >= WRITTEN_TOGETHER) await writeWaiting();
  }
  await writeWaiting();
  if (header === null || count === 0)
    throw new FileProblem('It has no rows below the first one, which names the columns.');
  return { header, samples, count, hash: hash.digest('hex') };
}
