import { expect, it } from '@jest/globals';
import { hashPassword, inventPassword, verifyPassword } from './passwords.ts';

it('accepts the password it hashed and no other, and salts each anew', async () => {
  const hash = await hashPassword('zuurdesem met rogge');
  expect(await verifyPassword('zuurdesem met rogge', hash)).toBe(true);
  expect(await verifyPassword('zuurdesem met tarwe', hash)).toBe(false);
  expect(await verifyPassword('x', 'plain$x')).toBe(false);
  expect(await hashPassword('zuurdesem met rogge')).not.toBe(hash);
  expect(inventPassword()).toMatch(/^[a-z2-9]{20}$/);
});
