import { describe, expect, it } from '@jest/globals';
import { fillRequest, unknownRequestTokens } from './request.ts';

const values = {
  value: 'a&b="c"',
  name: 'a&b="c"',
  watch: 'Sites that lose',
  finding_id: '01J0000000000000000000000F',
  spent: '4.50',
};
const request = { method: 'get' as const, url: '', body: '', repeats: false };

describe('a request to a source', () => {
  it('carries values that cannot break out of where they stand', () => {
    expect(fillRequest({ ...request, url: 'https://ads.example/cut?site={value}&k=1' }, values)).toEqual({
      url: 'https://ads.example/cut?site=a%26b%3D%22c%22&k=1',
      body: null,
    });
    expect(
      fillRequest({ ...request, method: 'form', url: 'https://ads.example/', body: 's={value}' }, values)
        .body,
    ).toEqual({ type: 'application/x-www-form-urlencoded', text: 's=a%26b%3D%22c%22' });
    const json = fillRequest(
      {
        ...request,
        method: 'json',
        url: 'https://ads.example/',
        body: '{"s":"{value}","n":{spent},"x":{name}}',
      },
      values,
    ).body!;
    expect(JSON.parse(json.text)).toEqual({ s: 'a&b="c"', n: 4.5, x: null });
  });

  it('names tokens that there are not', () => {
    expect(
      unknownRequestTokens({ url: 'https://ads.example/?a={value}&b={site}', body: '{"c":"{spend}"}' }),
    ).toEqual(['site', 'spend']);
  });
});
