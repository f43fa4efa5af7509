import { expect, it } from '@jest/globals';
import { isCommonPassword } from './commonPasswords.ts';

it.each([
  'password1234',
  'Password123!',
  'P@ssw0rd2026!!',
  '123456789012',
  'qwertyuiop12',
  'qwerty123456',
  'aaaaaaaaaaaa',
  'abcabcabcabc',
  'administrator1',
  'iloveyou2026!',
  'letmeinletmein',
  'welcomewelcome1',
  'changeme1234',
  'correct horse battery staple',
  'mypasswordis',
  '111111111111a',
  'zxcvbnmzxcvbnm',
])('%s is common', (password) => expect(isCommonPassword(password)).toBe(true));

it.each([
  'a password of twenty',
  'zuurdesem met rogge',
  'mossy jar on the sill',
  'k7mq2vxw9cde3fgh4jrt',
  'terrarium fern 1987',
  'tr8!Lbn0#qWz',
])('%s is not', (password) => expect(isCommonPassword(password)).toBe(false));

it('of any length is decided quickly', () => {
  const began = process.cpuUsage();
  for (const text of ['a'.repeat(1024), 'ab'.repeat(512), 'theisyou'.repeat(8), 'qwer'.repeat(16)])
    isCommonPassword(text);
  const { user, system } = process.cpuUsage(began);
  expect((user + system) / 1000).toBeLessThan(500);
});
