import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { parsePostback } from './postbackBody.ts';

const values = (query: string, body: string, type = ''): Record<string, string> =>
  Object.fromEntries(parsePostback(query, body, type).values);
const problem = (body: string, type = 'application/json'): string =>
  parsePostback('', body, type).bodyProblem;

describe('a body', () => {
  it('as a form or as JSON gives parameters; the query comes first, and what is doubled is flagged', () => {
    expect(values('a=1', 'a=2&b=3')).toEqual({ a: '1', b: '3' });
    expect(parsePostback('a=1', '{"a": 2}', 'application/json').notes).toContain('repeated:a');
    expect([...parsePostback('', 'a=1', '').form]).toEqual(['a']);
    expect([...parsePostback('a=1', '', '').form]).toEqual([]);
  });
  it('in JSON keeps every digit as it was written', () => {
    const big =
      '{"payout": 12.50, "transaction": 90071992547409931234, "rate": 1e3, "ok": true, "none": null}';
    expect(values('', big, 'application/json')).toEqual({
      payout: '12.50',
      transaction: '90071992547409931234',
      rate: '1e3',
      ok: 'true',
    });
  });
  it('in JSON: of a doubled key the first counts, flagged', () => {
    const read = parsePostback('', '{"payout": 1, "payout": 2}', 'application/json');
    expect([read.values.get('payout'), read.notes]).toEqual(['1', ['repeated:payout']]);
  });
  it('in JSON: an object or a list where a value belongs is named', () => {
    const read = parsePostback('', '{"payout": {"amount": 3}, "click_id": ["x"], "status": "ok"}', '');
    expect([...read.compound]).toEqual(['payout', 'click_id']);
    expect([...read.values.keys()]).toEqual(['status']);
  });
  it('has no names of the prototype', () => {
    expect(values('', '{"__proto__": "x", "constructor": "y"}', 'application/json').constructor).toBe('y');
  });
});

it.each([
  ['[{"a":1}]', /JSON list/],
  ['{"a":1', /not valid JSON/],
  ['"a"', /not an object/],
  [`${'{"a":'.repeat(40)}1${'}'.repeat(40)}`, /nested too deeply/],
  ['\u001f\ufffd\u0008binary', /gzip/],
])('%s: says what is wrong', (body, says) => expect(problem(body)).toMatch(says));

it('of a multipart form says so, and reads past a byte order mark', () => {
  const part = '--x\r\nContent-Disposition: form-data; name="a"\r\n\r\n1\r\n--x--';
  expect(problem(part, 'multipart/form-data; boundary=x')).toMatch(/multipart/);
  expect(problem(part, '')).toMatch(/multipart/);
  const read = parsePostback('', '\ufeff{"a": 1}', 'application/json');
  expect([read.values.get('a'), read.bodyProblem, read.notes]).toEqual(['1', '', ['byte_order_mark']]);
});

it('never throws, whatever comes', () => {
  fc.assert(
    fc.property(
      fc.string({ unit: 'binary' }),
      fc.constantFrom('', 'application/json', 'text/plain'),
      (body, type) => {
        parsePostback('', body, type);
        parsePostback('', `{${body}`, type);
      },
    ),
  );
});

it('a body of brackets costs no more than its length', () => {
  // Far beyond what any parser could walk down: refused before it is tried.
  expect(problem('['.repeat(60_000))).toMatch(/nested too deeply/);
});
