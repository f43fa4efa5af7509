import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { encodeRequestLine, readTarget } from './requestTarget.ts';

describe('a target', () => {
  it.each([
    ['/v/k?a=1', '/v/k', 'a=1'],
    ['/v/k/?a=1', '/v/k', 'a=1'],
    ['//v//k///', '/v/k', ''],
    ['/%20v/k%20?a=%20', '/v/k', 'a=%20'],
    ['/v/%20%20k%20%20', '/v/k', ''],
    ['/b/k/1%20', '/b/k/1%20', ''],
    ['//b/k//01', '/b/k/01', ''],
    ['/b/k%20/2/', '/b/k/2', ''],
    ['/', '/', ''],
    ['', '/', ''],
    ['?a=1', '/', 'a=1'],
    ['v/k', '/v/k', ''],
    // The query is not a path: nothing in it is tidied.
    ['/v/k?u=https://a//b/%20', '/v/k', 'u=https://a//b/%20'],
  ])('%s', (url, path, query) => expect(readTarget(url)).toEqual({ path, query, host: null }));

  it('in absolute form names its host, which stands for the Host header', () => {
    expect(readTarget('HTTP://GO.Example:8080/v/k?a=1')).toEqual({
      path: '/v/k',
      query: 'a=1',
      host: 'go.example:8080',
    });
    expect(readTarget('http://go.example?a=1')).toEqual({ path: '/', query: 'a=1', host: 'go.example' });
  });

  it('of any text has a path that begins with one slash, and is tidied in linear time', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('/', '%20', 'b', 'v', '%', '?', 'k') }), (text) => {
        const { path } = readTarget(text);
        expect(path).toMatch(/^\/(?!\/)/);
      }),
    );
    const began = process.cpuUsage();
    for (const unit of ['%20', '/%20', '%20a', '/']) readTarget(`/${unit.repeat(8000)}`);
    const { user, system } = process.cpuUsage(began);
    expect((user + system) / 1000).toBeLessThan(500);
  });
});

describe('a request line', () => {
  const repaired = (text: string): string | undefined =>
    encodeRequestLine(Buffer.from(text, 'utf8'))?.toString('latin1');
  it('with raw spaces and raw UTF-8 is encoded; what follows it stays byte for byte', () => {
    expect(repaired('GET /v/k?site=café noir&t=日 HTTP/1.1\r\nHost: é\r\n\r\nbody é')).toBe(
      `GET /v/k?site=caf%C3%A9%20noir&t=%E6%97%A5 HTTP/1.1\r\nConnection: close\r\n${Buffer.from(
        'Host: é\r\n\r\nbody é',
      ).toString('latin1')}`,
    );
  });
  it('that is right, or is none, is left alone', () => {
    for (const text of [
      'GET /v/k HTTP/1.1\r\n\r\n',
      'DELETE /v/a b HTTP/1.1\r\n\r\n',
      'GET /v/a b HTTP/2\r\n\r\n',
      'GET /v/a b',
      'not HTTP at all\r\n',
      '',
    ])
      expect(repaired(text)).toBeUndefined();
  });
  it('never gains a line', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (target) => {
        const packet = Buffer.from(`GET /${target.replaceAll('\r\n', '')} HTTP/1.1\r\n\r\n`, 'utf8');
        const found = encodeRequestLine(packet)?.toString('latin1').split('\r\n') ?? [];
        expect(found.length === 0 || /^GET \/[\x21-\x7e]* HTTP\/1\.1$/.test(found[0]!)).toBe(true);
      }),
    );
  });
});
