/** Writes a small .mmdb file for tests: addresses of version 4, each with its record (format 2.0, records of 24 bits). */
import { writeFileSync } from 'node:fs';

type Value = string | number | readonly Value[] | { [key: string]: Value };
const METADATA_MARK = Buffer.from([0xab, 0xcd, 0xef, ...Buffer.from('MaxMind.com')]);
const SEPARATOR_BYTES = 16;

const head = (type: number, size: number): Buffer => {
  const [low, more] = size < 29 ? [size, []] : [29, [size - 29]];
  return Buffer.from(type < 8 ? [(type << 5) | low, ...more] : [low, type - 7, ...more]);
};
/** Numbers are written in four bytes. */
function encode(value: Value): Buffer {
  if (typeof value === 'string')
    return Buffer.concat([head(2, Buffer.byteLength(value)), Buffer.from(value)]);
  if (typeof value === 'number') {
    const bytes = Buffer.alloc(4);
    bytes.writeUInt32BE(value);
    return Buffer.concat([head(6, 4), bytes]);
  }
  if (Array.isArray(value)) return Buffer.concat([head(11, value.length), ...value.map(encode)]);
  const entries = Object.entries(value as { [key: string]: Value });
  return Buffer.concat([head(7, entries.length), ...entries.flatMap(([k, v]) => [encode(k), encode(v)])]);
}

const bitsOf = (address: string): string =>
  address
    .split('.')
    .map((n) => Number(n).toString(2).padStart(8, '0'))
    .join('');

export function writePlaceFile(path: string, places: Record<string, Value>, type = 'Test places'): void {
  // A node is two children: another node, the place of a record in the data, or nothing.
  const nodes: (number | string | null)[][] = [[null, null]];
  const data: Buffer[] = [];
  const offsets = new Map<string, number>();
  let length = 0;
  for (const [address, record] of Object.entries(places)) {
    const bits = bitsOf(address);
    let node = 0;
    for (let i = 0; i < bits.length - 1; i++) {
      const next = nodes[node]![Number(bits[i])];
      if (typeof next === 'number') node = next;
      else {
        nodes.push([null, null]);
        nodes[node]![Number(bits[i])] = nodes.length - 1;
        node = nodes.length - 1;
      }
    }
    nodes[node]![Number(bits.at(-1))] = address;
    offsets.set(address, length);
    const bytes = encode(record);
    data.push(bytes);
    length += bytes.length;
  }
  const valueOf = (child: number | string | null): number =>
    child === null
      ? nodes.length
      : typeof child === 'number'
        ? child
        : nodes.length + SEPARATOR_BYTES + offsets.get(child)!;
  const tree = Buffer.alloc(nodes.length * 6);
  nodes.forEach(([left, right], i) => {
    tree.writeUIntBE(valueOf(left!), i * 6, 3);
    tree.writeUIntBE(valueOf(right!), i * 6 + 3, 3);
  });
  const metadata = encode({
    binary_format_major_version: 2,
    binary_format_minor_version: 0,
    build_epoch: 1_790_000_000,
    database_type: type,
    description: { en: type },
    ip_version: 4,
    languages: ['en'],
    node_count: nodes.length,
    record_size: 24,
  });
  writeFileSync(path, Buffer.concat([tree, Buffer.alloc(SEPARATOR_BYTES), ...data, METADATA_MARK, metadata]));
}
