import { describe, expect, it } from '@jest/globals';
import { campaignInput, networkInput, offerInput, sourceInput } from '@tracheon/core/contract';
import { compileSnapshot, emptySnapshot, type RawConfiguration, type RawPart } from './snapshot.ts';

const part = <B>(id: string, body: B, more: Partial<RawPart<B>> = {}): RawPart<B> => ({
  id,
  deskId: 'D',
  name: id,
  key: '',
  state: 'live',
  version: 1,
  body,
  ...more,
});
const raw = (
  change: {
    link?: string;
    offers?: RawConfiguration['offers'];
    campaign?: object;
    state?: 'live' | 'paused';
  } = {},
): RawConfiguration => ({
  version: 7,
  desks: [{ id: 'D', zone: 'UTC', currency: 'EUR', fallbackUrl: '' }],
  landingPages: [],
  oldKeys: [],
  domains: [],
  networks: [
    part('N', networkInput.parse({ name: 'N', clickIdParameter: 'aff_ref', fields: {} }), { key: 'nkey' }),
  ],
  sources: [part('S', sourceInput.parse({ name: 'S', costCurrency: 'USD' }))],
  offers: change.offers ?? [
    part(
      'O',
      offerInput.parse({ name: 'O', networkId: 'N', link: change.link ?? 'https://Shop.example/o?p=1' }),
    ),
  ],
  campaigns: [
    part('C', campaignInput.parse({ name: 'C', sourceId: 'S', offerId: 'O', ...change.campaign }), {
      key: 'ckey',
      state: change.state ?? 'live',
    }),
  ],
});

describe('a snapshot', () => {
  it('has campaigns and intakes by their keys, frozen, with the click ID in the link', () => {
    const s = compileSnapshot(raw(), emptySnapshot);
    const c = s.campaigns.get('ckey')!;
    const [offer] = c.branches[0]!.pairings[0]!.offers;
    expect([offer!.link.template.text, offer!.link.start, c.sending]).toEqual([
      'https://Shop.example/o?p=1&aff_ref={click_id}',
      'https://Shop.example',
      true,
    ]);
    expect(s.intakes.get('nkey')!.network.id).toBe('N');
    expect([s.version, Object.isFrozen(s), Object.isFrozen(c)]).toEqual([7, true, true]);
    expect(s.campaigns.get('__proto__')).toBeUndefined();
  });
  it('takes calls with a rotated key until its time, and with the own key for good', () => {
    const s = compileSnapshot(
      { ...raw(), oldKeys: [{ key: 'old', partId: 'N', untilMs: 5000 }] },
      emptySnapshot,
    );
    expect([s.intakes.get('old')!.network.id, s.intakes.get('old')!.untilMs]).toEqual(['N', 5000]);
    expect(s.intakes.get('nkey')!.untilMs).toBe(Infinity);
  });
  it('takes the cost’s currency from where the cost comes', () => {
    const currency = (campaign: object): string =>
      compileSnapshot(raw({ campaign }), emptySnapshot).campaigns.get('ckey')!.costCurrency;
    expect(currency({ costModel: 'link', costCurrency: 'EUR' })).toBe('USD');
    expect(currency({ costModel: 'visit', costMicros: '40000', costCurrency: 'DKK' })).toBe('DKK');
  });
  it('keeps the last good version of a campaign that does not compile, and names it', () => {
    const good = compileSnapshot(raw(), emptySnapshot);
    const bad = compileSnapshot({ ...raw({ offers: [] }), version: 8 }, good);
    expect(bad.campaigns.get('ckey')).toBe(good.campaigns.get('ckey'));
    expect(bad.broken).toEqual([{ campaignId: 'C', deskId: 'D', why: expect.stringContaining('missing') }]);
    expect(compileSnapshot(raw({ offers: [] }), emptySnapshot).campaigns.size).toBe(0);
  });
  it('refuses a link whose host is not literal', () => {
    const s = compileSnapshot(
      raw({
        offers: [
          part('O', {
            ...offerInput.parse({ name: 'O', networkId: 'N', link: 'https://x.example' }),
            link: 'https://{country}.example/',
          }),
        ],
      }),
      emptySnapshot,
    );
    expect(s.broken[0]!.why).toContain('literal host');
  });
  it('knows a stopped campaign', () => {
    expect(compileSnapshot(raw({ state: 'paused' }), emptySnapshot).campaigns.get('ckey')!.sending).toBe(
      false,
    );
  });
});
