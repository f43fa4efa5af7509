import { expect, it } from '@jest/globals';
import { networkOfHost, readPasted } from './pasted.ts';

const OWN = ['https://go.kits.example'];

it('takes a link as it is, with its host and the place for our click ID', () => {
  const link = 'https://go.Larkspur.example:8443/o/4471?pub=902&aff_ref=YOUR_ID';
  expect(readPasted(`  ${link}\n`, OWN)).toEqual({
    link,
    ownKey: null,
    host: 'go.larkspur.example:8443',
    clickIdParameter: 'aff_ref',
    problem: '',
  });
  expect(readPasted('https://go.x.example/o?sub1={sub}&q=1', OWN).clickIdParameter).toBe('sub1');
  expect(readPasted('https://go.x.example/o?q=kites', OWN).clickIdParameter).toBe('');
});

it('takes the link out of a tag, or out of a text around it', () => {
  const tag = '<a href="https://go.x.example/o?a=1&amp;b=2">Go</a>';
  expect(readPasted(tag, OWN).link).toBe('https://go.x.example/o?a=1&b=2');
  expect(readPasted('Your link: https://go.x.example/o?a=1, enjoy', OWN).link).toBe(
    'https://go.x.example/o?a=1',
  );
});

it('leaves what is no link as it is, for the checks to say so', () => {
  expect(readPasted('terrariums', OWN)).toMatchObject({ link: 'terrariums', host: '', problem: '' });
  expect(readPasted('', OWN)).toMatchObject({ link: '', problem: '' });
});

it('refuses what is too long to be a link, and links of our own domain, with their key', () => {
  expect(readPasted('x'.repeat(100 * 1024), OWN)).toMatchObject({
    link: '',
    problem: expect.stringMatching(/100 KiB/),
  });
  expect(readPasted('https://go.kits.example/v/q3k5yrbv9gz6?clk=[click]', OWN)).toMatchObject({
    ownKey: 'q3k5yrbv9gz6',
    problem: expect.stringMatching(/our own tracking domain/),
  });
  expect(readPasted('https://go.kits.example.evil.example/v/q3', OWN).ownKey).toBeNull();
});

it('knows a network by its host, with the port before without', () => {
  const network = (...hosts: string[]) => ({ body: { hosts } });
  const [bare, port] = [network('go.x.example'), network('go.x.example:81')];
  expect(networkOfHost('go.x.example:81', [bare, port])).toBe(port);
  expect(networkOfHost('go.x.example:82', [bare, port])).toBe(bare);
  expect(networkOfHost('other.example', [bare, port])).toBeUndefined();
  expect(networkOfHost('', [network('')])).toBeUndefined();
});
