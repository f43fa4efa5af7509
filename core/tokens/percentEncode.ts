/**
 * Percent-encoding of RFC 6570 §3.2.1: unreserved characters stay; where reserved ones are let through, they and triplets that
 * are encoded already stay as well. By a table, since most values are short: calling into the engine costs more than they do.
 */
const UNRESERVED = 1;
const RESERVED = 2;
const ASCII = 128;
const kinds = new Uint8Array(ASCII);
for (const c of ":/?#[]@!$&'()*+,;=") kinds[c.charCodeAt(0)] = RESERVED;
for (const c of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~')
  kinds[c.charCodeAt(0)] = UNRESERVED;
const triplets = Array.from(
  { length: 256 },
  (_, byte) => `%${byte.toString(16).toUpperCase().padStart(2, '0')}`,
);
const PERCENT = 0x25;
/** Stands for half a character, which has no bytes. */
const REPLACEMENT = 0xfffd;

export function percentEncode(text: string, letsReserved: boolean): string {
  const most = letsReserved ? RESERVED : UNRESERVED;
  let out = '';
  let from = 0;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    const start = i;
    let encoded: string;
    if (code < ASCII) {
      const kind = kinds[code]!;
      if (kind !== 0 && kind <= most) continue;
      if (letsReserved && code === PERCENT && isHex(text, i + 1) && isHex(text, i + 2)) continue;
      encoded = triplets[code]!;
    } else {
      const point = text.codePointAt(i)!;
      if (point > 0xffff) i += 1;
      encoded = bytesOf(point >= 0xd800 && point <= 0xdfff ? REPLACEMENT : point);
    }
    out += text.slice(from, start) + encoded;
    from = i + 1;
  }
  return from === 0 ? text : out + text.slice(from);
}

function isHex(text: string, at: number): boolean {
  const code = text.charCodeAt(at);
  return (code >= 48 && code <= 57) || (code >= 65 && code <= 70) || (code >= 97 && code <= 102);
}

/** Of a code point above ASCII, in UTF-8. */
function bytesOf(point: number): string {
  const last = triplets[0x80 | (point & 0x3f)]!;
  if (point < 0x800) return triplets[0xc0 | (point >> 6)]! + last;
  const third = triplets[0x80 | ((point >> 6) & 0x3f)]! + last;
  if (point < 0x10000) return triplets[0xe0 | (point >> 12)]! + third;
  return triplets[0xf0 | (point >> 18)]! + triplets[0x80 | ((point >> 12) & 0x3f)]! + third;
}
