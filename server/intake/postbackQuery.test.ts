import { describe, expect, it } from '@jest/globals';
import { postbackQuery } from './postbackQuery.ts';

const values = (query: string, body = '', type = ''): Record<string, string> =>
  Object.fromEntries(postbackQuery(query, body, type).values);

describe('what a call says', () => {
  it('stands in the query, in a form, in JSON, or in several of them; the query comes first', () => {
    expect(values('a=1&b=2')).toEqual({ a: '1', b: '2' });
    expect(values('', 'a=1&b=x%20y', 'application/x-www-form-urlencoded')).toEqual({ a: '1', b: 'x y' });
    expect(
      values('a=1', '{"a": "2", "b": 3, "c": true, "d": null, "e": {"f": 1}}', 'application/json'),
    ).toEqual({ a: '1', b: '3', c: 'true' });
  });
  it('is JSON by its looks, too', () => expect(values('', ' {"a": 1}', 'text/plain')).toEqual({ a: '1' }));
  it.each(['{"a": ', '[1, 2]', '"text"', 'null', '42'])('%s as JSON says nothing, and is no crash', (body) =>
    expect(values('', body, 'application/json')).toEqual({}),
  );
  it('takes prototype names as names', () =>
    expect(postbackQuery('', '{"__proto__": "x"}', 'application/json').values.get('__proto__')).toBe('x'));
  it('keeps an ampersand inside a JSON value where it is', () =>
    expect(values('', '{"a": "x&b=2"}', 'application/json')).toEqual({ a: 'x&b=2' }));
});
