/** Everything that the palette offers: places, things to make, links to copy, parts to open. */
import { partKinds, partWords, type PartRecord } from '@tracheon/core/contract';
import { postbackUrl, adLink } from '@tracheon/core/links';

export interface Choice {
  words: string;
  note: string;
  /** Where it leads. */
  to?: string;
  /** What it puts on the clipboard. */
  copies?: string;
}
interface Desk {
  parts: readonly PartRecord[];
  canEdit: boolean;
  trackingOrigin: string;
}
const places: [string, string][] = [
  ['Today', '/today'],
  ['Set up a campaign', '/set-up'],
  ['Campaigns', '/campaigns'],
  ['Parts', '/parts'],
  ['Postbacks in', '/conversions/postbacks-in'],
  ['Conversions', '/conversions/all'],
  ['Needs repair', '/conversions/needs-repair'],
  ['Import conversions', '/conversions/import'],
  ['Carry over click IDs', '/conversions/carry-over'],
  ['Cost', '/money/cost'],
  ['Load cost file', '/money/cost/file'],
  ['Feeds', '/money/feeds'],
  ['Rates', '/money/rates'],
  ['Statements', '/money/statements'],
  ['Billing', '/money/billing'],
  ['Billing of advertisers', '/money/billing?side=advertiser'],
  ['Approval and delay', '/money/decisions'],
  ['Watches', '/watches'],
  ['Signal watches', '/watches/signals'],
  ['Notices', '/watches/notices'],
  ['Delivery of notices', '/watches/delivery'],
  ['Unknown keys', '/conversions/unknown-keys'],
  ['Postbacks out', '/conversions/postbacks-out'],
  ['Link reader', '/try/link-reader'],
  ['Link builder', '/try/link-builder'],
  ['Settings: desk, members, domains, rates, tokens', '/settings'],
];

export function choicesOf({ parts, canEdit, trackingOrigin }: Desk): Choice[] {
  const list: Choice[] = places.map(([words, to]) => ({ words, note: 'go', to }));
  list.push({ words: 'New campaign', note: 'create', to: '/set-up' });
  for (const kind of partKinds.filter((k) => k !== 'campaign'))
    list.push({ words: `New ${partWords[kind]}`, note: 'create', to: `/parts/${kind}?new=1` });
  const live = parts.filter((p) => p.state !== 'archived');
  for (const p of live) {
    if (p.kind === 'campaign')
      list.push(...campaignChoices(p as PartRecord<'campaign'>, live, trackingOrigin));
    else list.push({ words: p.body.name, note: partWords[p.kind], to: `/parts/${p.kind}?open=${p.id}` });
    // Without its key, which viewers do not get, there is no URL.
    if (p.kind === 'network' && p.key !== '')
      list.push({
        words: `Copy the postback URL of ${p.body.name}`,
        note: 'copy',
        copies: postbackUrl(trackingOrigin, p.key, (p as PartRecord<'network'>).body),
      });
  }
  return canEdit ? list : list.filter((c) => c.note !== 'create');
}

function campaignChoices(c: PartRecord<'campaign'>, all: readonly PartRecord[], origin: string): Choice[] {
  const source = all.find((p) => p.id === c.body.sourceId) as PartRecord<'source'> | undefined;
  return [
    { words: c.body.name, note: 'campaign', to: `/campaigns/${c.id}` },
    ...(source
      ? [
          {
            words: `Copy the link of ${c.body.name}`,
            note: 'copy',
            copies: adLink(
              origin,
              c,
              source.body,
              (id) => all.find((p) => p.id === id) as PartRecord<'landing-page'> | undefined,
            ),
          },
        ]
      : []),
    { words: `Test ${c.body.name}`, note: 'checklist', to: `/campaigns/${c.id}?test=1` },
    { words: `Set up a campaign like ${c.body.name}`, note: 'create', to: `/set-up?from=${c.id}` },
    { words: `Visits of ${c.body.name}`, note: 'list', to: `/campaigns/${c.id}/visits` },
  ];
}

/** Those that have every word of the text: first what begins with it, then campaigns, which are what one looks for most. */
export function matching(choices: readonly Choice[], text: string, most: number): Choice[] {
  const wanted = text.trim().toLowerCase();
  const words = wanted.split(/\s+/).filter(Boolean);
  const hits = choices.filter((c) => words.every((w) => `${c.words} ${c.note}`.toLowerCase().includes(w)));
  const rank = (c: Choice): number =>
    c.words.toLowerCase().startsWith(wanted) ? 0 : c.note === 'campaign' ? 1 : 2;
  return [...hits].sort((a, b) => rank(a) - rank(b)).slice(0, most);
}

/** A text that may be an ID, a transaction or a link is looked for on the server. */
export const isFindable = (text: string): boolean => {
  const trimmed = text.trim();
  return trimmed.length >= 4 && (/[0-9/]/.test(trimmed) || /^\S+$/.test(trimmed));
};
