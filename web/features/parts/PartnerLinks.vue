<script setup lang="ts">
/** What a partner is given: the link of a campaign, with the partner's ID in it. */
import { needsApproval, PARTNER_PARAMETER, type PartRecord } from '@tracheon/core/contract';
import { partnerOffer } from '@tracheon/core/conversions';
import { adLink, partnerLink } from '@tracheon/core/links';
import { offersOf } from '@tracheon/core/routing';
import { localDay } from '@tracheon/core/time';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import CopyButton from '../../ui/CopyButton.vue';
import FormField from '../../ui/FormField.vue';
import { countryName } from '../../ui/format.ts';
import LinkText from '../../ui/LinkText.vue';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{ part: PartRecord<'partner'> }>();
const parts = useParts();
const session = useSession();
const campaigns = computed(() => parts.of('campaign').map((c) => ({ value: c.id, label: c.body.name })));
const chosen = ref('');
const campaign = computed(() => parts.one('campaign', chosen.value));
const source = computed(() => campaign.value && parts.one('source', campaign.value.body.sourceId));
/** The source means something else by the parameter: a visit would count for no partner. */
const isTaken = computed(() => source.value?.body.parameters.some((p) => p.parameter === PARTNER_PARAMETER));
const link = computed(() => {
  if (!campaign.value || !source.value || isTaken.value) return '';
  const whole = adLink(session.me?.trackingOrigin ?? '', campaign.value, source.value.body, (id) =>
    parts.one('landing-page', id),
  );
  return partnerLink(whole, props.part.id);
});
const { answer: accesses, load } = useAnswer(
  () => props.part.id,
  (partnerId) => ask('listOfferAccess', { query: { partnerId } }),
);
onNews(['partners', 'parts'], load);
const NO_ACCESS =
  'This partner has no access to the offer. Visitors reach it, and payouts wait for a review.';
/** What the partner gets at each offer that the link leads to, and what keeps it from that. */
const offers = computed(() => {
  if (!campaign.value) return [];
  return offersOf(campaign.value.body).flatMap((id) => {
    const offer = parts.one('offer', id)?.body;
    if (!offer) return [];
    const today = localDay(Date.now(), offer.zone || session.desk.zone);
    const nameOf = (typeId: string): string => parts.one('event-type', typeId)?.body.name ?? 'event';
    const countries = offer.countries.map(countryName).join(', ');
    const told = partnerOffer(offer, { partnerId: props.part.id, today, nameOf });
    const access = accesses.value?.find((a) => a.offerId === id);
    const isClosed =
      needsApproval(offer.partnerAccess) && access !== undefined && access.state !== 'approved';
    return [{ ...told, troubles: [...told.troubles, ...(isClosed ? [NO_ACCESS] : [])], id, countries }];
  });
});
</script>
<template>
  <section class="links" aria-label="Partner links">
    <h3>Partner links</h3>
    <p class="quiet">
      Give {{ part.body.name }} the link of a campaign. Numbers then shows these visits under this partner.
    </p>
    <p class="row">
      <span>Partner ID</span> <code>{{ part.id }}</code>
      <CopyButton :text="part.id" label="Copy ID" />
    </p>
    <p v-if="campaigns.length === 0" class="quiet">Set up a campaign first. Its link then appears here.</p>
    <FormField v-else v-slot="{ id }" label="Campaign">
      <PickOne :id="id" v-model="chosen" :options="campaigns" placeholder="Choose a campaign" />
    </FormField>
    <p v-if="isTaken" class="error" role="alert">
      {{ source?.body.name }} has its own parameter “{{ PARTNER_PARAMETER }}”, so this campaign can’t have
      partner links. Rename that parameter in the source, or choose another campaign.
    </p>
    <div v-if="link" class="row">
      <LinkText :link="link" expander="they" />
      <CopyButton :text="link" label="Copy link" />
    </div>
    <ul v-if="link" class="offers" aria-label="What the partner gets">
      <li v-for="o in offers" :key="o.id">
        <strong>{{ o.offer }}</strong><template v-if="o.countries"> · {{ o.countries }}</template
        ><template v-for="says in o.pays" :key="says"> · {{ says }}</template
        ><template v-for="trouble in o.troubles" :key="trouble">
          · <span class="error" role="alert">{{ trouble }}</span></template
        >
      </li>
    </ul>
    <p v-if="link" class="quiet">The partner replaces the marked macros with its own values.</p>
  </section>
</template>
<style scoped>
.links {
  display: grid;
  gap: 6px;
  margin-bottom: 16px;
  padding-bottom: 14px;
  border-bottom: 1px solid var(--hairline);
}
.links h3,
.links p {
  margin: 0;
}
.offers {
  margin: 0;
  padding-left: 18px;
}
</style>
