/** An XLSX as a spreadsheet program writes it, as small as it can be (APPNOTE 4.3; ECMA-376 Part 1, 18.3). */
import { crc32, deflateRawSync } from 'node:zlib';

export interface ZipEntry {
  name: string;
  data: Buffer;
}

export function zipFile(entries: readonly ZipEntry[]): Buffer {
  const parts: Buffer[] = [];
  const directory: Buffer[] = [];
  let at = 0;
  for (const { name, data } of entries) {
    const packed = deflateRawSync(data);
    const fields = Buffer.alloc(26);
    fields.writeUInt16LE(20, 0);
    fields.writeUInt16LE(8, 4);
    fields.writeUInt32LE(sumOf(data), 10);
    fields.writeUInt32LE(packed.length, 14);
    fields.writeUInt32LE(data.length, 18);
    fields.writeUInt16LE(name.length, 22);
    const local = Buffer.concat([Buffer.from([0x50, 0x4b, 3, 4]), fields, Buffer.from(name), packed]);
    const tail = Buffer.alloc(14);
    tail.writeUInt32LE(at, 10);
    directory.push(Buffer.concat([Buffer.from([0x50, 0x4b, 1, 2, 20, 0]), fields, tail, Buffer.from(name)]));
    parts.push(local);
    at += local.length;
  }
  const all = Buffer.concat(directory);
  const end = Buffer.alloc(22);
  end.write('PK\x05\x06', 'latin1');
  end.writeUInt16LE(entries.length, 8);
  end.writeUInt16LE(entries.length, 10);
  end.writeUInt32LE(all.length, 12);
  end.writeUInt32LE(at, 16);
  return Buffer.concat([...parts, all, end]);
}
const sumOf = (data: Buffer): number => (crc32 as (data: Buffer) => number)(data);

const NAMESPACE = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"';
const escaped = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** Texts are shared, numbers plain, dates numbers of a style that shows a date. */
export function xlsxFile(rows: readonly (readonly (string | number | Date)[])[]): Buffer {
  const texts: string[] = [];
  const cell = (value: string | number | Date, row: number, column: number): string => {
    const reference = `${String.fromCharCode(65 + column)}${row + 1}`;
    if (value instanceof Date)
      return `<c r="${reference}" s="1"><v>${(value.getTime() - Date.UTC(1899, 11, 30)) / 86_400_000}</v></c>`;
    if (typeof value === 'number') return `<c r="${reference}"><v>${value}</v></c>`;
    texts.push(value);
    return `<c r="${reference}" t="s"><v>${texts.length - 1}</v></c>`;
  };
  const data = rows.map((r, i) => `<row r="${i + 1}">${r.map((v, j) => cell(v, i, j)).join('')}</row>`);
  const sheet = `<worksheet ${NAMESPACE}><sheetData>${data.join('')}</sheetData></worksheet>`;
  const shared = `<sst ${NAMESPACE}>${texts.map((t) => `<si><t>${escaped(t)}</t></si>`).join('')}</sst>`;
  const styles = `<styleSheet ${NAMESPACE}><numFmts count="1"><numFmt numFmtId="170" formatCode="dd\\.mm\\.yyyy hh:mm"/></numFmts><cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="170"/></cellXfs></styleSheet>`;
  return zipFile([
    { name: 'xl/worksheets/sheet1.xml', data: Buffer.from(sheet) },
    { name: 'xl/sharedStrings.xml', data: Buffer.from(shared) },
    { name: 'xl/styles.xml', data: Buffer.from(styles) },
  ]);
}
