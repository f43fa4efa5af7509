/** An uploaded file of rates: the text of an XML file, or the rows of a table. */
import { FileProblem } from '../imports/fileProblem.ts';
import { readTable } from '../imports/readTable.ts';

const MAX_XML_BYTES = 20 * 1024 * 1024;
const MAX_ROWS = 100_000;

/** Throws FileProblem with the reason. */
export async function readRatesFile(input: AsyncIterable<Buffer>): Promise<string | string[][]> {
  const chunks = input[Symbol.asyncIterator]();
  const first = await chunks.next();
  const head = first.done ? Buffer.alloc(0) : first.value;
  async function* all(): AsyncGenerator<Buffer> {
    yield head;
    for (;;) {
      const next = await chunks.next();
      if (next.done) return;
      yield next.value;
    }
  }
  return head
    .toString('latin1')
    .trimStart()
    .replace(/^\u00ef\u00bb\u00bf/, '')
    .startsWith('<')
    ? readXml(all())
    : readRows(all());
}

async function readXml(input: AsyncIterable<Buffer>): Promise<string> {
  const pieces: Buffer[] = [];
  let size = 0;
  for await (const piece of input) {
    size += piece.length;
    if (size > MAX_XML_BYTES) throw new FileProblem(`It is larger than ${MAX_XML_BYTES / 1024 / 1024} MiB.`);
    pieces.push(piece);
  }
  return Buffer.concat(pieces).toString('utf8');
}

async function readRows(input: AsyncIterable<Buffer>): Promise<string[][]> {
  const rows: string[][] = [];
  for await (const row of readTable(input)) {
    if (rows.length > MAX_ROWS) throw new FileProblem(`It has more than ${MAX_ROWS} rows.`);
    rows.push(row);
  }
  return rows;
}
