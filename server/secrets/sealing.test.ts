import { expect, it } from '@jest/globals';
import { seal, unseal } from './sealing.ts';

const server = 'only for tests, and longer than thirty-two';

it('opens by the same key and for the same place only', () => {
  const sealed = seal(server, 'desk|1', 'Bearer t0ken ✓');
  expect(sealed.sealed.toString('latin1')).not.toContain('t0ken');
  expect(unseal(server, 'desk|1', sealed)).toBe('Bearer t0ken ✓');
  expect(unseal(server, 'desk|2', sealed)).toBeNull();
  expect(unseal(`${server}!`, 'desk|1', sealed)).toBeNull();
});

it('that was changed or cut does not open', () => {
  const { keyId, sealed } = seal(server, 'desk|1', 'value');
  const changed = Buffer.from(sealed);
  changed[changed.length - 1]! ^= 1;
  expect(unseal(server, 'desk|1', { keyId, sealed: changed })).toBeNull();
  for (let n = 0; n < sealed.length; n++)
    expect(unseal(server, 'desk|1', { keyId, sealed: sealed.subarray(0, n) })).toBeNull();
});

it('is another text each time', () => {
  expect(seal(server, 'a', 'x').sealed).not.toEqual(seal(server, 'a', 'x').sealed);
});
