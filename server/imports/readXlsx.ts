/**
 * The first sheet of an XLSX file (ECMA-376 Part 1), row by row. Read as a stream, with every entry's size counted while it is
 * unpacked: an archive that grows beyond its bounds is refused, whatever it says of itself.
 */
import { SaxesParser } from 'saxes';
import { fromBuffer, type Entry, type ZipFile } from 'yauzl';
import { FileProblem } from './fileProblem.ts';

/** Of one entry, unpacked. */
const MAX_ENTRY_BYTES = 150 * 1024 * 1024;
/** Of all texts that cells share. */
const MAX_SHARED_CHARACTERS = 64 * 1024 * 1024;
const MAX_ENTRIES = 2000;
const DAY_MS = 86_400_000;
/** Day 0 of the 1900 system, with its leap day that never was. */
const EPOCH_MS = Date.UTC(1899, 11, 30);
/** Built-in number formats that show a date or a time. */
const DATE_FORMATS = new Set([14, 15, 16, 17, 18, 19, 20, 21, 22, 45, 46, 47]);

export async function* readXlsx(file: Buffer): AsyncGenerator<string[]> {
  const zip = await open(file);
  const entries = await entriesOf(zip);
  const shared = await sharedStrings(zip, entries);
  const dateStyles = await datesOf(zip, entries);
  const sheet = [...entries.keys()]
    .filter((name) => /^xl\/worksheets\/[^/]+\.xml$/.test(name))
    .sort(byNumber)[0];
  if (!sheet) throw new FileProblem('The file has no worksheet.');
  yield* rowsOf(await unpacked(zip, entries.get(sheet)!), shared, dateStyles);
  zip.close();
}

const byNumber = (a: string, b: string): number => a.localeCompare(b, 'en', { numeric: true });

const open = (file: Buffer): Promise<ZipFile> =>
  new Promise((resolve, reject) =>
    fromBuffer(file, { lazyEntries: true, autoClose: false }, (error, zip) =>
      error ? reject(new FileProblem('It is not a valid XLSX file.')) : resolve(zip),
    ),
  );

function entriesOf(zip: ZipFile): Promise<Map<string, Entry>> {
  return new Promise((resolve, reject) => {
    const entries = new Map<string, Entry>();
    zip.on('entry', (entry: Entry) => {
      if (entries.size >= MAX_ENTRIES) return reject(new FileProblem('It holds too many entries.'));
      entries.set(entry.fileName, entry);
      zip.readEntry();
    });
    zip.on('end', () => resolve(entries));
    zip.on('error', () => reject(new FileProblem('It is not a valid XLSX file.')));
    zip.readEntry();
  });
}

/** Its text in pieces; ends with a problem once it is too long. */
async function unpacked(zip: ZipFile, entry: Entry): Promise<AsyncIterable<string>> {
  const stream = await new Promise<NodeJS.ReadableStream>((resolve, reject) =>
    zip.openReadStream(entry, (error, s) => (error ? reject(new FileProblem('It is damaged.')) : resolve(s))),
  );
  return (async function* () {
    let bytes = 0;
    const decoder = new TextDecoder();
    try {
      for await (const chunk of stream as AsyncIterable<Buffer>) {
        bytes += chunk.length;
        if (bytes > MAX_ENTRY_BYTES) throw new FileProblem('It is too large when it is unpacked.');
        yield decoder.decode(chunk, { stream: true });
      }
    } catch (error) {
      throw error instanceof FileProblem ? error : new FileProblem('It is damaged.');
    }
  })();
}

/** Calls back with each element's name and attributes, its text, and its end. */
interface Handlers {
  open?: (name: string, attributes: Record<string, string>) => void;
  text?: (text: string) => void;
  close?: (name: string) => void;
}
function parser({ open, text, close }: Handlers): SaxesParser {
  const p = new SaxesParser();
  const local = (name: string): string => name.slice(name.indexOf(':') + 1);
  if (open) p.on('opentag', (tag) => open(local(tag.name), tag.attributes));
  if (text) p.on('text', text);
  if (close) p.on('closetag', (tag) => close(local(tag.name)));
  p.on('error', () => {
    throw new FileProblem('Its XML is damaged.');
  });
  return p;
}
async function parseAll(text: AsyncIterable<string>, handlers: Handlers): Promise<void> {
  const p = parser(handlers);
  for await (const piece of text) p.write(piece);
  p.close();
}

async function sharedStrings(zip: ZipFile, entries: Map<string, Entry>): Promise<string[]> {
  const entry = entries.get('xl/sharedStrings.xml');
  if (!entry) return [];
  const all: string[] = [];
  let characters = 0;
  let current = '';
  let inText = false;
  let isPhonetic = false;
  await parseAll(await unpacked(zip, entry), {
    open: (name) => {
      if (name === 'si') current = '';
      if (name === 't') inText = true;
      if (name === 'rPh') isPhonetic = true;
    },
    text: (text) => {
      if (inText && !isPhonetic) current += text;
    },
    close: (name) => {
      if (name === 't') inText = false;
      if (name === 'rPh') isPhonetic = false;
      if (name !== 'si') return;
      characters += current.length;
      if (characters > MAX_SHARED_CHARACTERS) throw new FileProblem('It holds too much text.');
      all.push(current);
    },
  });
  return all;
}

/** Numbers of the styles that show a date. */
async function datesOf(zip: ZipFile, entries: Map<string, Entry>): Promise<Set<number>> {
  const entry = entries.get('xl/styles.xml');
  const dates = new Set<number>();
  if (!entry) return dates;
  const formats = new Set(DATE_FORMATS);
  let inCells = false;
  let style = 0;
  await parseAll(await unpacked(zip, entry), {
    open: (name, a) => {
      // Letters of dates outside of quoted text and brackets, such as a colour or a currency.
      if (
        name === 'numFmt' &&
        /[dmyhs]/i.test((a.formatCode ?? '').replaceAll(/"[^"]*"|\[[^\]]*\]|\\./g, ''))
      )
        formats.add(Number(a.numFmtId));
      if (name === 'cellXfs') inCells = true;
      if (name === 'xf' && inCells) {
        if (formats.has(Number(a.numFmtId))) dates.add(style);
        style += 1;
      }
    },
    close: (name) => {
      if (name === 'cellXfs') inCells = false;
    },
  });
  return dates;
}

/** A → 0, B → 1, AA → 26. */
const columnOf = (reference: string): number =>
  [...reference.replace(/\d+$/, '')].reduce((n, c) => n * 26 + (c.charCodeAt(0) & 31), 0) - 1;

async function* rowsOf(
  text: AsyncIterable<string>,
  shared: readonly string[],
  dates: ReadonlySet<number>,
): AsyncGenerator<string[]> {
  const done: string[][] = [];
  let row: string[] = [];
  let cell = { column: 0, type: '', style: 0, value: '' };
  let isValue = false;
  const p = parser({
    open: (name, a) => {
      if (name === 'row') row = [];
      if (name === 'c') {
        const column = a.r ? columnOf(a.r) : row.length;
        cell = { column, type: a.t ?? 'n', style: Number(a.s ?? 0), value: '' };
      }
      if (name === 'v' || name === 't') isValue = true;
    },
    text: (piece) => {
      if (isValue) cell.value += piece;
    },
    close: (name) => {
      if (name === 'v' || name === 't') isValue = false;
      if (name === 'c' && cell.column >= 0 && cell.column < 16_384) {
        while (row.length < cell.column) row.push('');
        row[cell.column] = shown(cell, shared, dates);
      }
      if (name === 'row') done.push(row);
    },
  });
  for await (const piece of text) {
    p.write(piece);
    yield* done.splice(0);
  }
  p.close();
  yield* done.splice(0);
}

function shown(
  { type, style, value }: { type: string; style: number; value: string },
  shared: readonly string[],
  dates: ReadonlySet<number>,
): string {
  if (type === 's') return shared[Number(value)] ?? '';
  if (type !== 'n' || value === '' || !dates.has(style)) return plainNumber(type, value);
  // To the second: what is shown of a date is no finer.
  const ms = EPOCH_MS + Math.round((Number(value) * DAY_MS) / 1000) * 1000;
  if (!Number.isFinite(ms) || Math.abs(ms) > 8.64e15) return value;
  const iso = new Date(ms).toISOString().slice(0, 19);
  return iso.endsWith('T00:00:00') ? iso.slice(0, 10) : iso;
}

/** 12.300000000000001 is how a program stores 12.3 (IEEE 754); fifteen digits are what it shows. */
function plainNumber(type: string, value: string): string {
  if (type !== 'n' || !/^-?\d*\.\d{12,}(E-?\d+)?$/i.test(value)) return value;
  return String(Number(Number(value).toPrecision(15)));
}
