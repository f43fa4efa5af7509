import { describe, expect, it } from '@jest/globals';
import { readAgent, readHost, readLanguage } from './visitor.ts';

const agents: [string, string, string, string, boolean][] = [
  [
    'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36',
    'phone',
    'Android',
    'Chrome',
    false,
  ],
  [
    'Mozilla/5.0 (iPad; CPU OS 18_2 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Safari/604.1',
    'tablet',
    'iOS',
    'Safari',
    false,
  ],
  [
    'Mozilla/5.0 (iPhone; CPU iPhone OS 18_2 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Mobile/15E148 Safari/604.1',
    'phone',
    'iOS',
    'Safari',
    false,
  ],
  [
    'Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Safari/605.1.15',
    'desktop',
    'macOS',
    'Safari',
    false,
  ],
  [
    'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36',
    'desktop',
    'Windows',
    'Chrome',
    false,
  ],
  [
    'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
    'desktop',
    'Linux',
    'Firefox',
    false,
  ],
  ['PracticeCrawler/1.0 (+http://crawler.example/bot)', 'desktop', '', '', true],
  ['curl/8.5.0', 'desktop', '', '', true],
  ['', '', '', '', true],
];

describe('an agent', () => {
  it.each(agents)('%s', (text, device, os, browser, isBot) => {
    const a = readAgent(text);
    expect([a.device, a.os, a.browser, a.botReason !== '']).toEqual([device, os, browser, isBot]);
  });
  it('that is endless is read by its beginning', () => {
    const long = `${agents[0]![0]}${'x'.repeat(100_000)}`;
    expect(readAgent(long).os).toBe('Android');
  });
});

it('the language is the first one, in small letters', () => {
  expect(readLanguage('nl-BE,nl;q=0.9,en;q=0.8')).toBe('nl');
  expect(readLanguage(' PT')).toBe('pt');
  expect(readLanguage('*')).toBe('');
  expect(readLanguage(undefined)).toBe('');
});

it('of a referrer only the host is kept', () => {
  expect(readHost('https://tuinpraat.example:8443/kas?a=1')).toBe('tuinpraat.example');
  expect(readHost('not a url')).toBe('');
  expect(readHost(`http://${'a'.repeat(15_000)}!`)).toBe('');
  expect(readHost(`https://tuinpraat.example/${'a'.repeat(15_000)}`)).toBe('tuinpraat.example');
  expect(readHost(undefined)).toBe('');
});

it('a referrer made to be slow costs no more than a long one', () => {
  const cpu = (text: string): number => {
    const from = process.cpuUsage();
    for (let n = 0; n < 20; n++) readHost(text);
    const { user, system } = process.cpuUsage(from);
    return user + system;
  };
  const honest = `https://tuinpraat.example/${'a'.repeat(15_000)}`;
  cpu(honest);
  // Each alone takes half a second where a pattern walks back over it.
  const worst = Math.max(...['http://', 'https://x.'].map((head) => cpu(`${head}${'a'.repeat(15_000)}!`)));
  expect(worst).toBeLessThan(200 * Math.max(cpu(honest), 1000));
});
