/** The steps of the setup sheet: which are done, which stand open, and each in one line. */
import { computed, ref, watch, type Ref } from 'vue';
import type { PartRecord, SheetBody } from '@tracheon/core/contract';
import type { useCampaignLive } from '../../shared/trail/useCampaignLive.ts';
import { costSummary } from '../../shared/costWords.ts';
import type { useChain } from './useChain.ts';
import { counted } from '../../ui/format.ts';

/** The step of the links, the only one left once the campaign is live. */
export const LINKS_STEP = 5;
const CAMPAIGN_STEP = 4;
const PAGE_STEP = 3;
export function useSteps(
  body: SheetBody,
  chain: ReturnType<typeof useChain>,
  campaign: Readonly<Ref<PartRecord<'campaign'> | undefined>>,
  shown: ReturnType<typeof useCampaignLive>,
) {
  const isLive = computed(() => campaign.value !== undefined);
  /** The step that is worked on stays open; the others shrink to a line once they are done. */
  const current = ref(0);
  /** A direct link is a choice too, once the step was passed. */
  const isPagePassed = ref(false);
  watch(current, (now, before) => {
    if (before === PAGE_STEP || now > PAGE_STEP) isPagePassed.value = true;
  });
  const hasOffer = (): boolean => body.link + body.offerId !== '';
  const done = computed(() => [
    chain.chosenOffer.value !== undefined ||
      (body.link !== '' && chain.network.value !== undefined && chain.pasted.value.problem === ''),
    chain.source.value !== undefined,
    body.landingPageId !== '' || isPagePassed.value || isLive.value,
    chain.names.value.campaign !== '' && chain.source.value !== undefined && hasOffer(),
    isLive.value,
  ]);
  const isOpen = (n: number): boolean =>
    current.value === n || (isLive.value ? n === LINKS_STEP : !done.value[n - 1] || n === CAMPAIGN_STEP);
  function offerSummary(): string {
    if (!hasOffer()) return 'Paste the offer link to start.';
    const network = chain.network.value?.body.name;
    const offer = shown.offer.value?.body ?? chain.offer.value;
    return [
      offer.name,
      offer.name.includes(network ?? ' ') ? '' : network,
      offer.name.includes(body.country || ' ') ? '' : body.country,
      offer.payoutMode === 'fixed' ? 'payout fixed' : 'payout as reported',
    ]
      .filter(Boolean)
      .join(' · ');
  }
  function sourceSummary(): string {
    const source = chain.source.value?.body;
    if (!source) return 'The ad network that sends the visits.';
    const hasCost = source.parameters.some((p) => p.role === 'cost');
    const cost = hasCost ? `cost in ${source.costCurrency}` : 'no cost parameter';
    return `${source.name} · ${counted(source.parameters.length, 'parameter')} · ${cost}`;
  }
  function pageSummary(): string {
    const page = chain.page.value?.body;
    const own = page
      ? `${page.name} · ${page.buttons === 1 ? '1 button' : `${page.buttons} buttons`}`
      : 'Direct link';
    return body.pairings.length === 0 ? own : `${own} · split over ${body.pairings.length + 1} pairings`;
  }
  const summaries = computed(() => {
    const name = campaign.value?.body.name ?? (body.campaignName || chain.names.value.campaign);
    return [
      offerSummary(),
      sourceSummary(),
      pageSummary(),
      [name || 'Named by your desk’s rule', costSummary[chain.costModel.value]].join(' · '),
      isLive.value ? 'Copy the links to where they belong.' : 'Links for the network and the source.',
    ];
  });
  return { current, done, isOpen, summaries };
}
