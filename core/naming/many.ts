/** Many campaigns at once: a campaign repeated for countries and sources, and campaigns renamed by a rule. */
import type { CampaignInput } from '../contract/campaigns.ts';
import type { PartRecord } from '../contract/parts.ts';
import { campaignName, type NamedChain } from './campaignName.ts';
import { freeName } from '../contract/nameRule.ts';

export interface Repeated {
  country: string;
  sourceId: string;
  body: CampaignInput;
}
export interface RepeatFor {
  /** Empty: the countries stay as they are. */
  countries: readonly string[];
  sources: readonly PartRecord<'source'>[];
}

/** One for each country and source; an account or ad format that the other source does not have is left out. */
export function repeatCampaign(
  from: CampaignInput,
  chain: NamedChain,
  { countries, sources }: RepeatFor,
  rule: string,
  taken: readonly string[],
): Repeated[] {
  const names = [...taken];
  const made: Repeated[] = [];
  for (const country of countries.length === 0 ? [''] : countries)
    for (const source of sources) {
      const hasAccount = source.body.accounts.some((a) => a.name === from.account);
      const hasFormat = source.body.adFormats.includes(from.adFormat);
      const tellsCost = source.body.parameters.some((p) => p.role === 'cost');
      const format = hasFormat ? from.adFormat : '';
      const name = freeName(
        campaignName(rule, {
          ...chain,
          source: source.body,
          format,
          country: country || from.country,
        }) || from.name,
        names,
      );
      names.push(name);
      made.push({
        country,
        sourceId: source.id,
        body: {
          ...from,
          name,
          country: country || from.country,
          sourceId: source.id,
          account: hasAccount ? from.account : '',
          adFormat: format,
          costModel: from.costModel === 'link' && !tellsCost ? 'none' : from.costModel,
        },
      });
    }
  return made;
}

export interface Renamed {
  id: string;
  version: number;
  before: string;
  after: string;
  body: CampaignInput;
}

/** Campaigns whose name changes by the rule; two that would be called alike, or like one that stays, get numbers. */
export function renameByRule(
  chosen: readonly PartRecord<'campaign'>[],
  all: readonly PartRecord<'campaign'>[],
  chainOf: (campaign: PartRecord<'campaign'>) => NamedChain,
  rule: string,
): Renamed[] {
  const ids = new Set(chosen.map((c) => c.id));
  const names = all.filter((c) => !ids.has(c.id)).map((c) => c.body.name);
  const renamed: Renamed[] = [];
  for (const c of chosen) {
    const wanted = campaignName(rule, chainOf(c)) || c.body.name;
    const after = freeName(wanted, names);
    names.push(after);
    if (after !== c.body.name)
      renamed.push({
        id: c.id,
        version: c.version,
        before: c.body.name,
        after,
        body: { ...c.body, name: after },
      });
  }
  return renamed;
}
