import { expect, it } from '@jest/globals';
import { hashCheaply, hashPassword, inventPassword, verifyPassword } from './passwords.ts';

it('accepts the password it hashed and no other, and salts each anew', async () => {
  const hash = await hashPassword('zuurdesem met rogge');
  expect(await verifyPassword('zuurdesem met rogge', hash)).toBe(true);
  expect(await verifyPassword('zuurdesem met tarwe', hash)).toBe(false);
  expect(await verifyPassword('x', 'plain$x')).toBe(false);
  expect(await hashPassword('zuurdesem met rogge')).not.toBe(hash);
  expect(inventPassword()).toMatch(/^[a-z2-9]{20}$/);
});

it('hashes at its full cost until a test asks otherwise, and still accepts what was hashed at another', async () => {
  const full = await hashPassword('zuurdesem met rogge');
  expect(full).toMatch(/^scrypt\$32768\$8\$1\$/);
  hashCheaply();
  const cheap = await hashPassword('zuurdesem met rogge');
  expect(cheap).toMatch(/^scrypt\$16\$8\$1\$/);
  for (const stored of [full, cheap]) expect(await verifyPassword('zuurdesem met rogge', stored)).toBe(true);
});
