import { describe, expect, it } from '@jest/globals';
import { addressPrefix, clientAddress, parseRanges } from './addresses.ts';

const proxies = parseRanges(['10.0.0.0/8', '127.0.0.3', '2001:db8::/32']);

describe('the address of a visitor', () => {
  it.each([
    ['81.82.1.1', undefined, '81.82.1.1', 'the peer'],
    ['81.82.1.1', '9.9.9.9', '81.82.1.1', 'a stranger is not believed'],
    ['127.0.0.3', '145.53.1.1', '145.53.1.1', 'a configured proxy is'],
    ['10.1.1.1', '9.9.9.9, 145.53.1.1', '145.53.1.1', 'but only for the hop it saw itself'],
    ['10.1.1.1', '145.53.1.1, 10.2.2.2', '145.53.1.1', 'through a chain of proxies'],
    ['10.1.1.1', '145.53.1.1, unknown', '10.1.1.1', 'what is no address ends the chain'],
    ['::ffff:10.1.1.1', '145.53.1.1', '145.53.1.1', 'mapped into IPv6 is the same proxy'],
    ['2001:db8::1', '2a02:1810::7', '2a02:1810::7', 'IPv6 as well'],
    ['::ffff:81.82.1.1', undefined, '81.82.1.1', 'a mapped address is written plainly'],
  ])('%s with %s is %s: %s', (peer, forwarded, wanted, _why) =>
    expect(clientAddress(peer, forwarded, proxies)).toBe(wanted),
  );
  it('no proxies configured: nobody is believed', () =>
    expect(clientAddress('10.1.1.1', '9.9.9.9', [])).toBe('10.1.1.1'));
});

it('keeps /24 or /48, and nothing of what is no address', () => {
  expect(addressPrefix('145.53.10.20')).toBe('145.53.10.0/24');
  expect(addressPrefix('::ffff:145.53.10.20')).toBe('145.53.10.0/24');
  expect(addressPrefix('2a02:1810:abc:1::7')).toBe('2a02:1810:abc::/48');
  expect(addressPrefix('nowhere')).toBe('');
});

it('a range that is none stops the start', () => expect(() => parseRanges(['10.0.0.0/99'])).toThrow());
