/** Values that partners gave us, encrypted at rest by a key that is derived from the server's own secret. AES-256-GCM. */
import { createCipheriv, createDecipheriv, createHash, hkdfSync, randomBytes } from 'node:crypto';

const NONCE_BYTES = 12;
const TAG_BYTES = 16;

export interface Sealed {
  /** Names the key, and tells nothing of it. */
  keyId: string;
  sealed: Buffer;
}

export const keyIdOf = (serverSecret: string): string =>
  createHash('sha256').update(`key id|${serverSecret}`).digest('hex').slice(0, 12);
const keyOf = (serverSecret: string): Buffer =>
  Buffer.from(hkdfSync('sha256', serverSecret, '', 'secrets at rest', 32));

/** `place` says whose it is: sealed for one, it opens for no other. */
export function seal(serverSecret: string, place: string, value: string): Sealed {
  const nonce = randomBytes(NONCE_BYTES);
  const cipher = createCipheriv('aes-256-gcm', keyOf(serverSecret), nonce).setAAD(Buffer.from(place));
  const text = Buffer.concat([cipher.update(value, 'utf8'), cipher.final()]);
  return { keyId: keyIdOf(serverSecret), sealed: Buffer.concat([nonce, cipher.getAuthTag(), text]) };
}

/** Null when it was sealed by another key, for another place, or was damaged. */
export function unseal(serverSecret: string, place: string, { keyId, sealed }: Sealed): string | null {
  if (keyId !== keyIdOf(serverSecret) || sealed.length < NONCE_BYTES + TAG_BYTES) return null;
  const decipher = createDecipheriv('aes-256-gcm', keyOf(serverSecret), sealed.subarray(0, NONCE_BYTES))
    .setAAD(Buffer.from(place))
    .setAuthTag(sealed.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES));
  try {
    const text = decipher.update(sealed.subarray(NONCE_BYTES + TAG_BYTES));
    return Buffer.concat([text, decipher.final()]).toString('utf8');
  } catch {
    return null;
  }
}
