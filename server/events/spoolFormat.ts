/**
 * A spool file is a run of records: version (1 byte) | payload length (4, big endian) | CRC-32C of the payload (4) |
 * payload (JSON in UTF-8). A record is whole or it does not count: reading stops at the first that is cut short or
 * whose checksum is wrong, since only the tail of a file can be torn. Versions that were ever written stay readable.
 */
export const SPOOL_VERSION = 1;
const HEADER_BYTES = 9;
/** Longer payloads are no rows of ours: a length like that is a torn header. */
const MAX_PAYLOAD_BYTES = 4 * 1024 * 1024;

// CRC-32C (Castagnoli), RFC 3720 appendix B.4: reflected polynomial 0x82F63B78.
const table = new Uint32Array(256).map((_, n) => {
  let c = n;
  for (let bit = 0; bit < 8; bit++) c = c & 1 ? (c >>> 1) ^ 0x82f63b78 : c >>> 1;
  return c >>> 0;
});
export function crc32c(bytes: Uint8Array): number {
  let c = 0xffffffff;
  for (const byte of bytes) c = table[(c ^ byte) & 0xff]! ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}

export function encodeRecord(json: string): Buffer {
  const payload = Buffer.from(json, 'utf8');
  const record = Buffer.allocUnsafe(HEADER_BYTES + payload.length);
  record.writeUInt8(SPOOL_VERSION, 0);
  record.writeUInt32BE(payload.length, 1);
  record.writeUInt32BE(crc32c(payload), 5);
  payload.copy(record, HEADER_BYTES);
  return record;
}

export interface DecodedSpool {
  payloads: string[];
  /** Bytes after the last whole record: a tail torn by a crash, never acknowledged. */
  tornBytes: number;
}

export function decodeRecords(file: Buffer): DecodedSpool {
  const payloads: string[] = [];
  let at = 0;
  while (file.length - at >= HEADER_BYTES && file.readUInt8(at) === SPOOL_VERSION) {
    const length = file.readUInt32BE(at + 1);
    const end = at + HEADER_BYTES + length;
    if (length > MAX_PAYLOAD_BYTES || end > file.length) break;
    const payload = file.subarray(at + HEADER_BYTES, end);
    if (crc32c(payload) !== file.readUInt32BE(at + 5)) break;
    payloads.push(payload.toString('utf8'));
    at = end;
  }
  return { payloads, tornBytes: file.length - at };
}
