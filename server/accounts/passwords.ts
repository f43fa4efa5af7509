/** scrypt (RFC 7914) with its parameters kept beside the hash, so that they can grow. */
import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';

const FULL_COST = { N: 2 ** 15, r: 8, p: 1, maxmem: 64 * 1024 * 1024 };
let cost = FULL_COST;
const KEY_BYTES = 32;

/** Only for servers of tests, whose desks last for seconds: hashes cost a two-thousandth from then on. */
export const hashCheaply = (): void => void (cost = { ...FULL_COST, N: 2 ** 4 });

const derive = (password: string, salt: Buffer, options: typeof FULL_COST): Promise<Buffer> =>
  new Promise((resolve, reject) =>
    scrypt(password.normalize('NFKC'), salt, KEY_BYTES, options, (e, key) => (e ? reject(e) : resolve(key))),
  );

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const { N, r, p } = cost;
  const key = await derive(password, salt, cost);
  return ['scrypt', N, r, p, salt.toString('base64'), key.toString('base64')].join('$');
}

export async function verifyPassword(password: string, stored: string): Promise<boolean> {
  const [kind, n, r, p, salt, key] = stored.split('$');
  if (kind !== 'scrypt' || !salt || !key) return false;
  const expected = Buffer.from(key, 'base64');
  const given = await derive(password, Buffer.from(salt, 'base64'), {
    ...FULL_COST,
    N: Number(n),
    r: Number(r),
    p: Number(p),
  });
  return given.length === expected.length && timingSafeEqual(given, expected);
}

/** A password to print once: 20 characters without look-alikes, about 98 bits. */
export function inventPassword(): string {
  const alphabet = 'abcdefghjkmnpqrstuvwxyz23456789';
  return [...randomBytes(20)].map((b) => alphabet[b % alphabet.length]).join('');
}
