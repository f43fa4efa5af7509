import { describe, expect, it } from '@jest/globals';
import { sourceInput } from '../contract/index.ts';
import { trackingLink } from './compose.ts';
import { comparePasted, impressionPixel, linkFor, linkParametersText } from './linksOut.ts';

const source = sourceInput.parse({
  name: 'Quayside Search',
  parameters: [
    { parameter: 'qid', macro: '{clickid}', role: 'click_id', leftOff: ['tracking_template'] },
    { parameter: 'kw', macro: '{keyword}', role: 'sub', sub: 'keyword' },
  ],
});

describe('links out', () => {
  it('are the same whole and in parts', () => {
    expect(`https://t.example/v/k?${linkParametersText(source)}`).toBe(
      trackingLink('https://t.example', 'k', source),
    );
    expect(impressionPixel('https://t.example', 'k', source)).toBe(
      'https://t.example/seen/k?qid={clickid}&kw={keyword}',
    );
  });
  it('leave off what a place adds by itself', () => {
    expect(linkFor('https://t.example', 'k', source, 'final_url')).toBe(
      'https://t.example/v/k?qid={clickid}&kw={keyword}',
    );
    expect(linkFor('https://t.example', 'k', source, 'tracking_template')).toBe(
      'https://t.example/v/k?kw={keyword}',
    );
    expect(linkFor('https://t.example', 'k', { parameters: [] }, 'final_url')).toBe('https://t.example/v/k');
  });
  const ours = trackingLink('https://t.example', 'k', source);
  it.each([
    [ours, []],
    ['HTTPS://T.example/v/k?kw={keyword}&qid={clickid}', []],
    ['https://t.example/v/k?qid=%7Bclickid%7D&kw={keyword}', ['encoded qid']],
    ['https://t.example/v/k?qid={click_id}&kw={keyword}', ['altered qid']],
    ['https://t.example/v/k?kw={keyword}&gid=7', ['missing qid', 'added gid']],
    ['https://other.example/v/k?qid={clickid}&kw={keyword}', ['other_address ']],
    ['', ['other_address ', 'missing qid', 'missing kw']],
  ])('%s: %j', (pasted, wanted) =>
    expect(comparePasted(ours, pasted).map((a) => `${a.code} ${a.name}`)).toEqual(wanted),
  );
});
