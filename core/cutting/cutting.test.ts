import { describe, expect, it } from '@jest/globals';
import { campaignInput, sourceInput, type CampaignInput } from '../contract/index.ts';
import { asRouting } from '../routing/index.ts';
import { keepAway, keptAway, listText } from './index.ts';

const ID = '01J00000000000000000000001';
const source = (more: object) => sourceInput.parse({ name: 'Moorhen Push', ...more });
const campaign = (more: object = {}): CampaignInput =>
  campaignInput.parse({ name: 'Kites', sourceId: ID, offerId: ID, ...more });

describe('a list as the source takes it', () => {
  it('has its separator and the form of each value', () => {
    const values = ['a.example', 'b$&.example'];
    expect(listText(values, source({}))).toBe('a.example\nb$&.example');
    expect(listText(values, source({ listSeparator: 'semicolon', listFormat: '"{value}"' }))).toBe(
      '"a.example";"b$&.example"',
    );
    expect(listText(values, source({ listSeparator: 'pipe', listFormat: '{value}={value}' }))).toBe(
      'a.example=a.example|b$&.example=b$&.example',
    );
  });
});

describe('values that are kept away', () => {
  it('go to a branch of their own, before all others, that sends to no offer', () => {
    const changed = campaignInput.parse(keepAway(campaign(), 'site', ['bad.example']));
    const [first] = asRouting(changed).branches;
    expect(first).toMatchObject({
      name: 'Kept away by site',
      when: { on: 'sub_site', op: 'is', values: ['bad.example'] },
      pairings: [{ isOn: false, offerIds: [ID] }],
    });
    expect(asRouting(changed).otherwise.pairings).toMatchObject([{ offerIds: [ID], isOn: true }]);
    expect(keptAway(changed, 'site')).toEqual(['bad.example']);
  });
  it('join those that are kept away already, and other branches stay behind', () => {
    const once = keepAway(campaign(), 'site', ['a'])!;
    const twice = campaignInput.parse(keepAway(keepAway(once, 'zone id', ['7'])!, 'site', ['b', 'a']));
    expect([keptAway(twice, 'site'), keptAway(twice, 'zone id')]).toEqual([['a', 'b'], ['7']]);
    expect(asRouting(twice).branches).toHaveLength(2);
    expect(keepAway(twice, 'site', ['b'])).toBe(twice);
    expect(keptAway(campaign(), 'site')).toEqual([]);
  });
  it('leave alone what a member made of the branch, and a sub-ID of nearly the same name', () => {
    const both = campaignInput.parse(keepAway(keepAway(campaign(), 'zone id', ['1'])!, 'zone_id', ['2']));
    expect([keptAway(both, 'zone id'), keptAway(both, 'zone_id')]).toEqual([['1'], ['2']]);
    const [own, other] = asRouting(both).branches;
    // It takes visitors now: it keeps nobody away.
    const pairings = own!.pairings.map((p) => ({ ...p, isOn: true }));
    const branches = [other!, { ...own!, name: 'Zone two', pairings }];
    const mine = { ...both, routing: { ...asRouting(both), branches } };
    const again = campaignInput.parse(keepAway(mine, 'zone_id', ['3']));
    expect(asRouting(again).branches.map((b) => b.name)).toEqual([
      'Kept away by zone_id',
      'Kept away by zone id',
      'Zone two',
    ]);
    expect(keptAway(again, 'zone_id')).toEqual(['3']);
    // More values join the branch where it stands.
    const more = campaignInput.parse(keepAway(again, 'zone id', ['9']));
    expect(asRouting(more).branches[1]).toMatchObject({ when: { values: ['1', '9'] } });
  });
  it('are refused when a branch can’t name so many', () => {
    expect(
      keepAway(
        campaign(),
        'site',
        Array.from({ length: 1001 }, (_, i) => `s${i}`),
      ),
    ).toBeNull();
  });
});
