import { describe, expect, it } from '@jest/globals';
import { rateText, ratesOfEcb, ratesOfTable } from './index.ts';

const told = (all: { base: string; day: string; nanos: bigint }[]) =>
  all.map((r) => [r.base, r.day, rateText(r.nanos)]);

describe('a table of rates', () => {
  it('is read by the names of its columns, and the desk’s own currency is left out', () => {
    const read = ratesOfTable(
      [
        ['Day', 'Currency', 'Rate'],
        ['2026-11-24', 'usd', '0,8612'],
        ['2026-11-25', 'JPY', '0.005531'],
        ['2026-11-25', 'EUR', '1'],
      ],
      'EUR',
    );
    expect(typeof read === 'string' ? read : told(read.rates)).toEqual([
      ['USD', '2026-11-24', '0.8612'],
      ['JPY', '2026-11-25', '0.005531'],
    ]);
  });
  it('says which rows can’t be read', () => {
    const read = ratesOfTable(
      [
        ['currency', 'day', 'rate'],
        ['DOLLAR', '2026-11-24', '1'],
        ['USD', '24.11.2026', '1'],
        ['USD', '2026-11-24', '0.000'],
        ['USD', '2026-11-24', '-1'],
      ],
      'EUR',
    );
    expect(typeof read === 'string' ? read : read.problems.map((p) => p.n)).toEqual([1, 2, 3, 4]);
    expect(ratesOfTable([['a', 'b']], 'EUR')).toContain('currency, day and rate');
    expect(ratesOfTable([], 'EUR')).toContain('currency, day and rate');
  });
});

describe('the XML of the European Central Bank', () => {
  const xml = `<?xml version="1.0"?><gesmes:Envelope><Cube><Cube time='2026-11-26'>
    <Cube currency='USD' rate='1.25'/><Cube currency='DKK' rate='7.5'/></Cube>
    <Cube time="2026-11-25"><Cube currency="USD" rate="1.6"/></Cube></Cube></gesmes:Envelope>`;
  it('becomes rates to the desk’s currency, day by day', () => {
    expect(told(ratesOfEcb(xml, 'EUR'))).toEqual([
      ['USD', '2026-11-26', '0.8'],
      ['DKK', '2026-11-26', '0.133333333'],
      ['USD', '2026-11-25', '0.625'],
    ]);
    expect(told(ratesOfEcb(xml, 'DKK'))).toEqual([
      ['EUR', '2026-11-26', '7.5'],
      ['USD', '2026-11-26', '6'],
    ]);
  });
  it('of a currency that it does not have, or of another file, gives nothing', () => {
    expect(ratesOfEcb(xml, 'XCG')).toEqual([]);
    expect(ratesOfEcb('<html>not found</html>', 'EUR')).toEqual([]);
  });
});
