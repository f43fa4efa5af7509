import { describe, expect, it } from '@jest/globals';
import { campaignInput, networkInput, offerInput, sourceInput, type PartKind } from '@tracheon/core/contract';
import { compileDesk } from './compileDesk.ts';
import { emptySnapshot, type DeskConfiguration, type RawPart } from './compiled.ts';
import { putDesk, takeDesk } from './joinDesks.ts';

const part = (kind: PartKind, id: string, body: unknown, more: Partial<RawPart> = {}): RawPart => ({
  id,
  deskId: 'D',
  kind,
  name: id,
  key: '',
  state: 'live',
  version: 1,
  body,
  ...more,
});
const network = part(
  'network',
  'N',
  networkInput.parse({ name: 'N', clickIdParameter: 'aff_ref', fields: {} }),
  { key: 'nkey' },
);
const source = part('source', 'S', sourceInput.parse({ name: 'S', costCurrency: 'USD' }));
const offer = (link = 'https://Shop.example/o?p=1'): RawPart =>
  part('offer', 'O', offerInput.parse({ name: 'O', networkId: 'N', link }));
const campaign = (more: object = {}, state: RawPart['state'] = 'live'): RawPart =>
  part('campaign', 'C', campaignInput.parse({ name: 'C', sourceId: 'S', offerId: 'O', ...more }), {
    key: 'ckey',
    state,
  });
const desk = (parts: RawPart[] = [network, source, offer(), campaign()], version = 7): DeskConfiguration => ({
  deskId: 'D',
  version,
  zone: 'UTC',
  fallbackUrl: '',
  oldKeys: [],
  domains: [],
  parts,
});

describe('a desk', () => {
  it('has campaigns and intakes by their keys, frozen, with the click ID in the link', () => {
    const d = compileDesk(desk(), null);
    const c = d.campaigns.get('ckey')!;
    const [sold] = c.branches[0]!.pairings[0]!.offers;
    expect([sold!.link.template.text, sold!.link.start, c.sending]).toEqual([
      'https://Shop.example/o?p=1&aff_ref={click_id}',
      'https://Shop.example',
      true,
    ]);
    expect(d.intakes.get('nkey')!.network.id).toBe('N');
    expect([d.version, Object.isFrozen(d), Object.isFrozen(c)]).toEqual([7, true, true]);
    expect(d.campaigns.get('__proto__')).toBeUndefined();
  });
  it('takes calls with a rotated key until its time, and with the own key for good', () => {
    const d = compileDesk({ ...desk(), oldKeys: [{ key: 'old', partId: 'N', untilMs: 5000 }] }, null);
    expect([d.intakes.get('old')!.network.id, d.intakes.get('old')!.untilMs]).toEqual(['N', 5000]);
    expect(d.intakes.get('nkey')!.untilMs).toBe(Infinity);
  });
  it('takes the cost’s currency from where the cost comes', () => {
    const currency = (more: object): string =>
      compileDesk(desk([network, source, offer(), campaign(more)]), null).campaigns.get('ckey')!.costCurrency;
    expect(currency({ costModel: 'link', costCurrency: 'EUR' })).toBe('USD');
    expect(currency({ costModel: 'visit', costMicros: '40000', costCurrency: 'DKK' })).toBe('DKK');
  });
  it('keeps the last good version of a campaign that does not compile, and names it', () => {
    const good = compileDesk(desk(), null);
    const bad = compileDesk(desk([network, source, campaign()], 8), good);
    expect(bad.campaigns.get('ckey')).toBe(good.campaigns.get('ckey'));
    expect(bad.broken).toEqual([{ campaignId: 'C', deskId: 'D', why: expect.stringContaining('missing') }]);
    expect(compileDesk(desk([network, source, campaign()]), null).campaigns.size).toBe(0);
  });
  it('refuses a link whose host is not literal', () => {
    const loose = part('offer', 'O', { ...(offer().body as object), link: 'https://{country}.example/' });
    const d = compileDesk(desk([network, source, loose, campaign()]), null);
    expect(d.broken[0]!.why).toContain('literal host');
  });
  it('knows a paused campaign, and none that is archived', () => {
    const of = (state: RawPart['state']) =>
      compileDesk(desk([network, source, offer(), campaign({}, state)]), null).campaigns.get('ckey');
    expect(of('paused')!.sending).toBe(false);
    expect(of('archived')).toBeUndefined();
  });
  it('compiles only what has changed, or what is made of it', () => {
    const other = part(
      'offer',
      'P',
      offerInput.parse({ name: 'P', networkId: 'N', link: 'https://p.example/' }),
    );
    const second = part('campaign', 'E', campaignInput.parse({ name: 'E', sourceId: 'S', offerId: 'P' }), {
      key: 'ekey',
    });
    const [theirs, ours] = [offer(), campaign()];
    const before = compileDesk(desk([network, source, theirs, ours, other, second]), null);
    const after = compileDesk(
      desk([network, source, offer('https://new.example/'), ours, other, second], 8),
      before,
    );
    expect(after.campaigns.get('ekey')).toBe(before.campaigns.get('ekey'));
    expect(after.offers.get('P')).toBe(before.offers.get('P'));
    const [sold] = after.campaigns.get('ckey')!.branches[0]!.pairings[0]!.offers;
    expect(sold!.link.start).toBe('https://new.example');
    expect(after.campaigns.get('ckey')).not.toBe(before.campaigns.get('ckey'));
    // What all of them are made of is another one: all are compiled anew.
    const all = compileDesk(desk([{ ...network }, source, theirs, ours, other, second], 9), before);
    expect(all.campaigns.get('ekey')).not.toBe(before.campaigns.get('ekey'));
  });
});

describe('desks together', () => {
  const mine = compileDesk(desk(), null);
  const theirs = compileDesk(
    {
      ...desk([
        { ...network, id: 'M', deskId: 'F', key: 'mkey' },
        { ...source, id: 'T', deskId: 'F' },
      ]),
      deskId: 'F',
      version: 3,
    },
    null,
  );
  it('are found by their keys; one is replaced without touching the other', () => {
    const both = putDesk(putDesk(emptySnapshot, null, mine), null, theirs);
    expect([...both.versions]).toEqual([
      ['D', 7],
      ['F', 3],
    ]);
    expect([both.intakes.get('nkey')!.deskId, both.intakes.get('mkey')!.deskId]).toEqual(['D', 'F']);
    const without = compileDesk(desk([network, source, offer(), campaign({}, 'archived')], 8), mine);
    const next = putDesk(both, mine, without);
    expect([next.campaigns.has('ckey'), next.intakes.has('mkey'), next.versions.get('D')]).toEqual([
      false,
      true,
      8,
    ]);
    // Who still holds the snapshot before sees it whole.
    expect(both.campaigns.has('ckey')).toBe(true);
  });
  it('are taken out whole', () => {
    const alone = takeDesk(putDesk(putDesk(emptySnapshot, null, mine), null, theirs), mine);
    expect([
      alone.campaigns.size,
      alone.offers.size,
      [...alone.intakes.keys()],
      [...alone.versions.keys()],
    ]).toEqual([0, 0, ['mkey'], ['F']]);
  });
});
