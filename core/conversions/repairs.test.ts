import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  networkInput,
  postbackReasons,
  type NetworkFix,
  type NetworkInput,
  type RepairGroup,
} from '../contract/index.ts';
import { parsePostback } from '../links/index.ts';
import {
  adviceOf,
  compareReadings,
  groupTitle,
  readingWords,
  readPostback,
  remedyOf,
  repairKey,
  withFix,
  withoutFix,
} from './index.ts';

const id = '01M8ZZZZZZ0123456789ABCDEF';
const network = (more: Partial<NetworkInput> = {}): NetworkInput =>
  networkInput.parse({ name: 'Larkspur CPA', fields: {}, ...more });
const word = fc.constantFrom('hld', 'HLD', ' ok ', 'wait');
const anyFix: fc.Arbitrary<NetworkFix> = fc
  .record({
    word,
    means: fc.constantFrom('pending' as const, 'approved' as const),
    currency: fc.constantFrom('EUR', 'USD'),
    mark: fc.constantFrom('.' as const, ',' as const),
    range: fc.constantFrom('192.0.2.0/24', '198.51.100.7'),
  })
  .chain(({ word, means, currency, mark, range }) =>
    fc.constantFrom<NetworkFix>(
      { kind: 'none' },
      { kind: 'status_word', word, means },
      { kind: 'event_word', word, eventTypeId: id },
      { kind: 'currency_word', word, currency },
      { kind: 'decimal_mark', mark },
      { kind: 'negative' },
      { kind: 'parameter', field: 'click_id', parameter: 's3' },
      { kind: 'address', range },
    ),
  );
const anyNetwork = fc.constantFrom(
  network(),
  network({
    statusWords: [{ word: 'hld', means: 'rejected' }],
    eventWords: [{ word: 'wait', eventTypeId: 'E' }],
    currencyWords: [{ word: 'ok', currency: 'DKK' }],
    allowedAddresses: ['192.0.2.0/24'],
    decimalMark: ',',
    negativeMeans: 'error',
  }),
);

describe('a fix of a network', () => {
  it('taken back leaves the network as it was, whatever it was', () => {
    fc.assert(
      fc.property(anyNetwork, anyFix, (before, fix) => {
        expect(withoutFix(withFix(before, fix), fix, before)).toEqual(before);
      }),
    );
  });
  it('maps a word once, whatever its case', () => {
    const twice = withFix(withFix(network(), { kind: 'status_word', word: 'hld', means: 'pending' }), {
      kind: 'status_word',
      word: 'HLD',
      means: 'approved',
    });
    expect(twice.statusWords).toEqual([{ word: 'HLD', means: 'approved' }]);
  });
  it('opens no network to all, and closes none that is open', () => {
    const fix: NetworkFix = { kind: 'address', range: '198.51.100.7' };
    expect(withFix(network(), fix).allowedAddresses).toEqual([]);
    const strict = network({ allowedAddresses: ['192.0.2.1'] });
    expect(withFix(strict, fix).allowedAddresses).toEqual(['192.0.2.1', '198.51.100.7']);
  });
});

describe('a reading with another decimal mark', () => {
  const read = (text: string, mark: NetworkInput['decimalMark']) =>
    readPostback(
      parsePostback(`click_id=${id}&payout=${text}`, '', ''),
      network({ decimalMark: mark }),
      [{ id, word: 'sale', repeats: false }],
      0,
    );
  it('is the same, changed, mended or broken; and says why a payout does not fit', () => {
    expect(compareReadings(read('12.50', ''), read('12.50', '.'))).toBe('same');
    expect(compareReadings(read('1.234', ''), read('1.234', ','))).toBe('changed');
    expect(compareReadings(read('1,234', ''), read('1,234', ','))).toBe('mended');
    expect(compareReadings(read('12.50', ''), read('12.50', ','))).toBe('broken');
    const broken = read('12.50', ',');
    expect(readingWords(broken, [])).toContain('“12.50” doesn’t fit this network’s decimal mark, the comma.');
  });
});

describe('a group of alike postbacks', () => {
  it('has in common the word that is not mapped, or the kind of what is wrong with the amount', () => {
    expect(repairKey('unmapped_status', ' HLD ')).toBe('hld');
    expect(repairKey('unreadable_payout', '“1,234” is ambiguous.', 'ambiguous')).toBe('ambiguous');
    expect(repairKey('unknown_click', 'abc')).toBe('');
  });
  it('is told in whole sentences, with a way to mend it, for every reason there is', () => {
    for (const reason of postbackReasons) {
      const group = {
        reason,
        key: '',
        detail: 'x',
        networkName: 'Larkspur CPA',
        clickIdIn: [],
      } satisfies Partial<RepairGroup>;
      expect(groupTitle(group)).toMatch(/^[A-Z]/);
      if (remedyOf(group) === 'at_network' && groupTitle(group).includes('Larkspur'))
        expect(adviceOf(group)).toMatch(/\.$/);
    }
  });
});
