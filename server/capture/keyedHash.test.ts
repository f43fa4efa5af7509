import { createHmac } from 'node:crypto';
import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { keyedHash } from './keyedHash.ts';

it('gives what HMAC gives, for every key and text, in whatever order they are asked', () => {
  fc.assert(
    fc.property(
      fc.uint8Array({ minLength: 1, maxLength: 64 }),
      fc.array(fc.oneof(fc.string({ unit: 'binary', maxLength: 200 }), fc.string({ maxLength: 700 })), {
        minLength: 1,
      }),
      (bytes, texts) => {
        const key = Buffer.from(bytes);
        const sign = keyedHash(key);
        for (const text of texts)
          expect(sign(text)).toBe(createHmac('sha256', key).update(text).digest('base64url'));
      },
    ),
  );
});
it('takes no key that would have to be hashed first', () => {
  expect(() => keyedHash(Buffer.alloc(65))).toThrow('longer than a block');
});
