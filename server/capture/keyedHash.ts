/** HMAC-SHA-256 (RFC 2104) for what is signed at each visit: in two calls of the runtime where it has them, a third of the time. */
import * as crypto from 'node:crypto';

const BLOCK_BYTES = 64;
const HASH_BYTES = 32;
/** Longer texts go the usual way. */
const MAX_TEXT_BYTES = 512;

/** `key` has at most 64 bytes. The digest is given in base64url. */
export function keyedHash(key: Buffer): (text: string) => string {
  if (key.length > BLOCK_BYTES) throw new Error('the key is longer than a block');
  const usual = (text: string): string => crypto.createHmac('sha256', key).update(text).digest('base64url');
  // Node 20.12 and newer.
  if (!('hash' in crypto)) return usual;
  const inner = padded(key, 0x36, MAX_TEXT_BYTES);
  const outer = padded(key, 0x5c, HASH_BYTES);
  return (text) => {
    // A character takes three bytes at most; a pair of surrogates four.
    if (text.length * 3 > MAX_TEXT_BYTES) return usual(text);
    const bytes = inner.write(text, BLOCK_BYTES);
    crypto.hash('sha256', inner.subarray(0, BLOCK_BYTES + bytes), 'buffer').copy(outer, BLOCK_BYTES);
    return crypto.hash('sha256', outer, 'base64url');
  };
}

function padded(key: Buffer, pad: number, room: number): Buffer {
  const block = Buffer.alloc(BLOCK_BYTES + room);
  for (let i = 0; i < BLOCK_BYTES; i++) block[i] = (key[i] ?? 0) ^ pad;
  return block;
}
