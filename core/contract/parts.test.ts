import { describe, expect, it } from '@jest/globals';
import { campaignInput, MAX_URL_LENGTH, networkInput, offerInput, sourceInput, UNREADABLE } from './index.ts';

type Parsed = { success: boolean; error?: { issues: { path: PropertyKey[]; message: string }[] } };
const messages = (parsed: Parsed): Record<string, string> =>
  Object.fromEntries((parsed.error?.issues ?? []).map((i) => [i.path.join('.'), i.message]));
const offer = (more: object) =>
  offerInput.safeParse({ name: 'Box', networkId: '01', link: 'https://o.example/', ...more });

describe('an offer', () => {
  it('is filled with what most offers are', () => {
    expect(offer({}).data).toMatchObject({ payoutMode: 'reported', windowDays: 90, countries: [] });
  });
  it.each([
    ['1,234', 'is ambiguous. Write 1234 or 1.234'],
    ['-5', 'is not an amount'],
    ['1e9', 'is not an amount'],
    ['9'.repeat(40), 'is too large'],
    ['0.1234567', 'six decimals'],
  ])('says why the payout %s cannot be read', (typed, words) => {
    expect(messages(offer({ payoutMicros: UNREADABLE + typed })).payoutMicros).toContain(words);
  });
  it('refuses an unknown currency and takes one that is known', () => {
    expect(messages(offer({ currency: 'XQZ' })).currency).toContain('not a currency code');
    expect(offer({ currency: 'eur' }).error?.issues[0]?.message).toContain('capital');
    expect(offer({ currency: 'XCG' }).success).toBe(true);
  });
  it.each([
    'o.example/x',
    'ftp://o.example',
    '//o.example',
    'javascript:alert(1)',
    'https://',
    'https://{country}.example',
  ])('refuses the link %s', (link) => expect(messages(offer({ link })).link).toMatch(/https:\/\//));
  it('refuses a link that no record may carry', () => {
    expect(messages(offer({ link: `https://o.example/${'x'.repeat(MAX_URL_LENGTH)}` })).link).toContain(
      'At most',
    );
  });
  it('encodes literals outside ASCII and leaves the rest byte for byte', () => {
    expect(offer({ link: 'https://kühl.example/smörgås?a=%2f&b=é€&c={click_id}' }).data?.link).toBe(
      'https://xn--khl-hoa.example/sm%C3%B6rg%C3%A5s?a=%2f&b=%C3%A9%E2%82%AC&c={click_id}',
    );
  });
  it('needs the amount that it says is fixed', () => {
    expect(messages(offer({ payoutMode: 'fixed' })).payoutMicros).toContain('Enter the amount');
  });
});

describe('a source', () => {
  const source = (parameters: object[], more: object = {}) =>
    sourceInput.safeParse({ name: 'S', parameters, ...more });
  it('names each sub-ID, and tells click ID and cost once', () => {
    const p = (parameter: string, role: string, sub = '') => ({ parameter, role, sub });
    expect(messages(source([p('a', 'sub')]))['parameters.0.sub']).toBe('Enter a name for the sub-ID.');
    expect(messages(source([p('a', 'click_id'), p('b', 'click_id')]))['parameters.1.role']).toContain(
      'already',
    );
    expect(messages(source([p('a', 'cost'), p('A', 'sub', 'x')]))['parameters.1.parameter']).toContain(
      'twice',
    );
    // Several parameters may feed one name.
    expect(source([p('a', 'sub', 'site'), p('b', 'sub', 'site')]).success).toBe(true);
  });
  it('has at most sixty parameters, however many are sent', () => {
    const many = Array.from({ length: 10_000 }, (_, i) => ({ parameter: `p${i}`, role: 'sub', sub: 'x' }));
    expect(messages(source(many)).parameters).toContain('60');
  });
  it('takes an empty postback URL and refuses one that is none', () => {
    expect(source([], { postbackUrl: '' }).success).toBe(true);
    expect(messages(source([], { postbackUrl: 'call us' })).postbackUrl).toContain('https://');
  });
});

describe('a network', () => {
  it('does not let one parameter carry two things', () => {
    const parsed = networkInput.safeParse({
      name: 'N',
      clickIdParameter: 'aff',
      fields: { click_id: { parameter: 'x' }, payout: { parameter: 'X' } },
    });
    expect(messages(parsed)['fields.payout.parameter']).toContain('already used above');
  });
  it('maps a word once, whatever its case', () => {
    const statusWords = [
      { word: 'ok', means: 'approved' },
      { word: 'OK ', means: 'pending' },
    ];
    const parsed = networkInput.safeParse({ name: 'N', clickIdParameter: 'a', fields: {}, statusWords });
    expect(messages(parsed)['statusWords.1.word']).toContain('twice');
  });
});

it('a campaign that pays per visit says how much', () => {
  const parsed = campaignInput.safeParse({ name: 'C', sourceId: '1', offerId: '2', costModel: 'visit' });
  expect(messages(parsed).costMicros).toContain('cost');
});
