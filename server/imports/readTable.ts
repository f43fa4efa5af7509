/**
 * A table out of a file as it comes in: CSV in any of the usual encodings and separators, or the first sheet of an XLSX. Rows
 * come one by one; the file itself is never held whole, except an XLSX, whose directory stands at its end.
 */
import { parse, CsvError } from 'csv-parse';
import { MAX_IMPORT_CELL, MAX_IMPORT_COLUMNS } from '@tracheon/core/contract';
import { Readable } from 'node:stream';
import { FileProblem } from './fileProblem.ts';
import { readXlsx } from './readXlsx.ts';

/** A CSV of 250 000 rows has some 40 MiB. */
const MAX_CSV_BYTES = 200 * 1024 * 1024;
const MAX_XLSX_BYTES = 60 * 1024 * 1024;
/** So much tells the encoding and the separator. */
const SNIFFED_BYTES = 64 * 1024;
/** One row; a quote that never closes ends here. */
const MAX_ROW_CHARACTERS = 256 * 1024;
const SEPARATORS = [',', ';', '\t', '|'];

export async function* readTable(input: AsyncIterable<Buffer>): AsyncGenerator<string[]> {
  const { head, rest } = await sniff(input);
  if (head.length === 0) throw new FileProblem('The file is empty.');
  const rows = head.subarray(0, 4).equals(ZIP) ? readXlsx(await whole(head, rest)) : readCsv(head, rest);
  for await (const row of rows) yield row.slice(0, MAX_IMPORT_COLUMNS).map(clean);
}
/** "PK", 3, 4: how a ZIP archive begins (APPNOTE 4.3.7). */
const ZIP = Buffer.from([0x50, 0x4b, 3, 4]);

const clean = (cell: string): string =>
  cell.replaceAll('\0', '\ufffd').toWellFormed().slice(0, MAX_IMPORT_CELL);

async function sniff(input: AsyncIterable<Buffer>): Promise<{ head: Buffer; rest: AsyncIterator<Buffer> }> {
  const rest = input[Symbol.asyncIterator]();
  const chunks: Buffer[] = [];
  let size = 0;
  while (size < SNIFFED_BYTES) {
    const next = await rest.next();
    if (next.done) break;
    chunks.push(next.value);
    size += next.value.length;
  }
  return { head: Buffer.concat(chunks), rest };
}

async function* pieces(head: Buffer, rest: AsyncIterator<Buffer>, limit: number): AsyncGenerator<Buffer> {
  let size = head.length;
  yield head;
  for (;;) {
    const next = await rest.next();
    if (next.done) return;
    size += next.value.length;
    if (size > limit) throw new FileProblem(`It is larger than ${limit / 1024 / 1024} MiB.`);
    yield next.value;
  }
}

async function whole(head: Buffer, rest: AsyncIterator<Buffer>): Promise<Buffer> {
  const all: Buffer[] = [];
  for await (const piece of pieces(head, rest, MAX_XLSX_BYTES)) all.push(piece);
  return Buffer.concat(all);
}

/** By its byte order mark; without one UTF-8, or what older programs write. */
function encodingOf(head: Buffer): string {
  if (head[0] === 0xff && head[1] === 0xfe) return 'utf-16le';
  if (head[0] === 0xfe && head[1] === 0xff) return 'utf-16be';
  // Every second byte of Latin text is zero.
  if (head.length > 3 && head[1] === 0 && head[3] === 0) return 'utf-16le';
  try {
    // A character may be cut at the end.
    new TextDecoder('utf-8', { fatal: true }).decode(head, { stream: true });
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}

async function* readCsv(head: Buffer, rest: AsyncIterator<Buffer>): AsyncGenerator<string[]> {
  const encoding = encodingOf(head);
  const decoder = new TextDecoder(encoding);
  const separator = separatorOf(new TextDecoder(encoding).decode(head));
  async function* text(): AsyncGenerator<string> {
    for await (const piece of pieces(head, rest, MAX_CSV_BYTES))
      yield decoder.decode(piece, { stream: true });
    yield decoder.decode();
  }
  const parser = parse({
    delimiter: separator,
    bom: true,
    relax_column_count: true,
    relax_quotes: true,
    skip_empty_lines: true,
    max_record_size: MAX_ROW_CHARACTERS,
  });
  const source = Readable.from(text());
  source.on('error', (error) => parser.destroy(error));
  source.pipe(parser);
  let n = 0;
  try {
    for await (const row of parser as AsyncIterable<string[]>) {
      n += 1;
      yield row;
    }
  } catch (error) {
    if (error instanceof FileProblem) throw error;
    if (!(error instanceof CsvError)) throw error;
    throw new FileProblem(
      `Row ${n + 1} can’t be read: a quote in it is never closed, or the row is too long.`,
    );
  } finally {
    source.destroy();
  }
}

/** The one that most often stands in the first line outside of quotes. */
function separatorOf(text: string): string {
  const line = (text.split(/\r?\n/).find((l) => l.trim() !== '') ?? '').replaceAll(/"[^"]*"/g, '');
  const counts = SEPARATORS.map((s) => line.split(s).length - 1);
  const most = Math.max(...counts);
  return most > 0 ? SEPARATORS[counts.indexOf(most)]! : ',';
}
