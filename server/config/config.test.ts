import { describe, expect, it } from '@jest/globals';
import { ConfigError, parseConfig } from './config.ts';

const given = { DATABASE_URL: 'postgres://u:p@127.0.0.1:5/d', TRACHEON_SECRET: 'x'.repeat(32) };

describe('the environment', () => {
  it('is parsed once into a frozen object, with origins made from host and port', () => {
    const config = parseConfig({
      ...given,
      TRACHEON_DESK_PORT: '81',
      TRACHEON_TRUSTED_PROXIES: '10.0.0.0/8, ::1',
      PATH: '/bin',
    });
    expect(config.desk).toEqual({ host: '127.0.0.1', port: 81, origin: 'http://127.0.0.1:81' });
    expect(config.trustedProxies).toEqual(['10.0.0.0/8', '::1']);
    expect(Object.isFrozen(config) && Object.isFrozen(config.desk)).toBe(true);
  });
  it('takes public origins as they are, without a slash at the end', () => {
    const config = parseConfig({ ...given, TRACHEON_TRACKING_ORIGIN: 'https://go.kits.test/' });
    expect(config.tracking.origin).toBe('https://go.kits.test');
  });
  it('without a partner page, its host does not matter', () =>
    expect(
      parseConfig({ ...given, TRACHEON_PARTNERS_HOST: '127.0.0.1', TRACHEON_PARTNERS: 'off' }).partners.isOn,
    ).toBe(false));
  it.each([
    [{ DATABASE_URL: '' }, /DATABASE_URL/],
    [{ DATABASE_URL: 'mysql://x' }, /DATABASE_URL must be a postgres/],
    [{ TRACHEON_DESK_PORT: '99999' }, /TRACHEON_DESK_PORT/],
    [{ TRACHEON_DESK_PORT: 'http' }, /TRACHEON_DESK_PORT/],
    [{ TRACHEON_SECRET: 'short' }, /TRACHEON_SECRET needs at least 32/],
    [{ TRACHEON_LOG: 'loud' }, /TRACHEON_LOG/],
    [{ TRACHEON_TRUSTED_PROXIES: '10.0.0.1, nowhere' }, /TRACHEON_TRUSTED_PROXIES.*nowhere/],
    [{ TRACHEON_DESK_ORIGIN: 'desk.test' }, /TRACHEON_DESK_ORIGIN/],
    [{ TRACHEON_TRACKING_HOST: '127.0.0.1' }, /Cookies ignore ports/],
    [{ TRACHEON_PARTNERS_HOST: '127.0.0.1' }, /The desk and the partner page are both at 127.0.0.1/],
    [{ TRACHEON_PARTNERS_HOST: '127.0.0.2' }, /The tracking links and the partner page are both at/],
    [
      { TRACHEON_DESK_ORIGIN: 'https://kits.test', TRACHEON_TRACKING_ORIGIN: 'https://kits.test:8443' },
      /Cookies ignore ports/,
    ],
  ])('%j is refused in one sentence', (more, words) => {
    expect(() => parseConfig({ ...given, ...more } as Record<string, string>)).toThrow(ConfigError);
    expect(() => parseConfig({ ...given, ...more } as Record<string, string>)).toThrow(words);
  });
});
