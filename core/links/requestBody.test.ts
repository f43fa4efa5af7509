import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { bodyProblem } from '../contract/index.ts';
import { bodyTokens, fillBody } from './requestBody.ts';

const of = (values: Record<string, string>) => (name: string) => values[name];

describe('the body of a request', () => {
  it('of a form is encoded like a link', () => {
    expect(
      fillBody('form', 'id={click_id}&note={sub_title}', of({ click_id: 'A1', sub_title: 'a b&c=d' })),
    ).toBe('id=A1&note=a%20b%26c%3Dd');
  });

  it('of JSON tells texts from numbers by their quotation marks', () => {
    const template = '{"id":"{click_id}","value":{payout},"sum":"{payout} {payout_currency}","no":{cost}}';
    const filled = fillBody(
      'json',
      template,
      of({ click_id: 'A"1', payout: '12.50', payout_currency: 'EUR' }),
    );
    expect(JSON.parse(filled)).toEqual({ id: 'A"1', value: 12.5, sum: '12.50 EUR', no: null });
  });

  it('of JSON stays JSON, whatever the values are', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string(), (a, b) => {
        const filled = fillBody(
          'json',
          '{ "a": "x{sub_a}y", "b": {sub_b}, "c": ["\\"{sub_a}"] }',
          of({ sub_a: a, sub_b: b }),
        );
        const read = JSON.parse(filled) as { a: string; b: unknown; c: string[] };
        expect(read.a).toBe(`x${a}y`);
        expect(read.c[0]).toBe(`"${a}`);
        if (b === '') expect(read.b).toBeNull();
        else expect(String(read.b)).toBe(typeof read.b === 'number' ? String(Number(b)) : b);
      }),
    );
  });

  it('names its tokens, and says what is wrong with it', () => {
    expect(bodyTokens('json', '{"a":"{click_id}{payout}","b":{payout}}')).toEqual(['click_id', 'payout']);
    expect(bodyProblem('json', '{"a":{payout}}')).toBeNull();
    expect(bodyProblem('json', '{"a":{payout}')).toMatch('not JSON');
    expect(bodyProblem('form', 'a={payout}&b')).toMatch('name={token}');
    expect(bodyProblem('form', 'a={payout}')).toBeNull();
    expect(bodyProblem('form', '')).toMatch('Enter the body');
  });
});
