/** A campaign's chain and what was seen of it, kept current: for the trail and the checklist. */
import { computed, onMounted, ref, watch, type Ref } from 'vue';
import type { CampaignLive, PageCheck } from '@tracheon/core/contract';
import { postbackUrl } from '@tracheon/core/links';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import { checklist, configuredTrail, sourcePostbackUrl, withSeen } from '@tracheon/core/trail';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';

/** A step of the checklist turns on within two seconds: the news takes a quarter of one, the question less. */
const PAUSE_MS = 600;

export function useCampaignLive(campaignId: Ref<string>) {
  const parts = useParts();
  const session = useSession();
  const live = ref<CampaignLive | null>(null);
  const failure = ref('');
  const pageCheck = ref<PageCheck | null>(null);

  const campaign = computed(() => parts.one('campaign', campaignId.value));
  const source = computed(() => parts.one('source', campaign.value?.body.sourceId ?? ''));
  const offer = computed(() =>
    parts.one('offer', (campaign.value && offersOf(campaign.value.body)[0]) ?? ''),
  );
  const network = computed(() => parts.one('network', offer.value?.body.networkId ?? ''));
  const page = computed(() =>
    parts.one('landing-page', (campaign.value && landingPagesOf(campaign.value.body)[0]) ?? ''),
  );

  const asks = newest();
  async function load(): Promise<void> {
    if (campaignId.value === '') return;
    await asks(
      ask('campaignLive', { id: campaignId.value }),
      (answer) => {
        live.value = answer;
        failure.value = '';
      },
      (why) => (failure.value = why),
    );
  }
  const asksCheck = newest();
  async function loadCheck(): Promise<void> {
    const id = page.value?.id;
    await asksCheck(
      id ? ask('lastPageCheck', { id }).then((a) => a.check) : Promise.resolve(null),
      (check) => (pageCheck.value = check),
      () => (pageCheck.value = null),
    );
  }
  onMounted(load);
  watch(campaignId, () => {
    live.value = null;
    void load();
  });
  watch(() => page.value?.id, loadCheck, { immediate: true });
  onNews(['visits', 'postbacks-in', 'conversions', 'postbacks-out', 'parts'], load, PAUSE_MS);
  onNews(['parts'], loadCheck);

  const place = computed(() => ({
    origin: session.me?.trackingOrigin ?? '',
    ownOrigins: session.me?.trackingOrigins ?? [],
    deskCurrency: session.desk.currency,
  }));
  const hops = computed(() => {
    if (!campaign.value || !source.value || !offer.value) return [];
    const configured = configuredTrail(
      {
        source: source.value.body,
        offer: offer.value.body,
        network: network.value?.body,
        page: page.value?.body ?? null,
        pageCheck: pageCheck.value,
        campaign: campaign.value.body,
      },
      place.value,
    );
    return live.value ? withSeen(configured, live.value, campaign.value.id) : configured;
  });
  const ids = computed(() => ({
    source: source.value?.id ?? '',
    offer: offer.value?.id ?? '',
    network: network.value?.id ?? '',
    'landing-page': page.value?.id ?? '',
    campaign: campaign.value?.id ?? '',
  }));
  const steps = computed(() => {
    if (!live.value || !source.value || !network.value) return [];
    return checklist(live.value, {
      sourceName: source.value.body.name,
      allowsRedirects: source.value.body.allowsRedirects,
      networkName: network.value.body.name,
      pageName: page.value?.body.name ?? null,
      isReported: sourcePostbackUrl(source.value.body, campaign.value?.body.account ?? '') !== '',
      postbackUrl: postbackUrl(place.value.origin, network.value.key, network.value.body),
    });
  });
  return { campaign, source, offer, network, page, live, failure, hops, ids, steps, load };
}
export type ShownCampaign = ReturnType<typeof useCampaignLive>;
