import { expect, it } from '@jest/globals';
import { endpoints, findEndpoint, type Endpoint } from './index.ts';

const ID = '0'.repeat(26);
const asked = (e: Endpoint): string => e.path.replace('{kind}', 'network').replace(/\{\w+\}/g, ID);

it('finds each endpoint by its own path, also where a literal stands where another has a parameter', () => {
  const all = Object.entries(endpoints) as [string, Endpoint][];
  expect(all.length).toBeGreaterThan(50);
  for (const [name, e] of all)
    expect([asked(e), findEndpoint(e.method, asked(e))?.name]).toEqual([asked(e), name]);
});

it('finds the versions of a network beside what a network has sent', () => {
  expect(findEndpoint('GET', `/parts/network/${ID}/versions`)?.name).toBe('listVersions');
  expect(findEndpoint('GET', `/parts/network/${ID}/seen`)?.name).toBe('networkSeen');
  expect(findEndpoint('GET', '/parts/network/name-free')?.name).toBe('nameFree');
  expect(findEndpoint('GET', '/no/such/thing')).toBeUndefined();
});
