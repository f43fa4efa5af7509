import { expect, it } from '@jest/globals';
import { partnerLink } from './partnerLink.ts';

it.each([
  ['https://t.example/v/abc', 'https://t.example/v/abc?partner=P1'],
  ['https://t.example/v/abc?site=[site]', 'https://t.example/v/abc?site=[site]&partner=P1'],
  ['https://t.example/v/abc?', 'https://t.example/v/abc?partner=P1'],
  // A macro of hash marks begins no fragment.
  ['https://p.example/?c=#ref#&x=1#top', 'https://p.example/?c=#ref#&x=1&partner=P1#top'],
  ['', ''],
])('%s', (link, whole) => expect(partnerLink(link, 'P1')).toBe(whole));
