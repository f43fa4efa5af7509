<script setup lang="ts">
/** The links of a campaign, each in the form in which a source takes it, with where it goes and a check of what was made of it. */
import ListTable from '../ui/ListTable.vue';
import PickOne from '../ui/PickOne.vue';
import Button from 'primevue/button';
import FoldBlock from '../ui/FoldBlock.vue';
import InputText from 'primevue/inputtext';
import { linkPlaces, type LinkPlace, type PartRecord } from '@tracheon/core/contract';
import {
  adLink,
  buttonLink,
  comparePasted,
  impressionPixel,
  linkBase,
  linkFor,
  linkParametersText,
  outgoingLink,
  pageLink,
  pageVisitLink,
  trackingLink,
} from '@tracheon/core/links';
import { Check, CircleAlert } from '@lucide/vue';
import { computed, onMounted, ref } from 'vue';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import { useParts } from '../app/parts.ts';
import { usePasted } from '../app/pasted.ts';
import { useSeen } from '../app/seen.ts';
import { useSession } from '../app/session.ts';
import CopyButton from '../ui/CopyButton.vue';
import { moment } from '../ui/format.ts';
import LinkText from '../ui/LinkText.vue';

const props = defineProps<{ part: PartRecord<'campaign'> }>();
const parts = useParts();
const session = useSession();
const pasted = usePasted();
onMounted(pasted.load);
const chosen = ref('');
const origin = computed(() => chosen.value || (session.me?.trackingOrigin ?? ''));
const source = computed(() => parts.one('source', props.part.body.sourceId));
const offer = computed(() => parts.one('offer', offersOf(props.part.body)[0] ?? ''));
const page = computed(() => parts.one('landing-page', landingPagesOf(props.part.body)[0] ?? ''));
const onward = computed(() => {
  const network = offer.value && parts.one('network', offer.value.body.networkId);
  return offer.value && network ? outgoingLink(offer.value.body.link, network.body) : '';
});
const whole = computed(() =>
  source.value
    ? adLink(origin.value, props.part, source.value.body, (id) => parts.one('landing-page', id))
    : '',
);
const placeWords: Record<LinkPlace, [string, string]> = {
  final_url: ['Final URL', 'into the ad’s final URL field'],
  tracking_template: ['Tracking template', 'into the tracking template field of the campaign or account'],
  extension: ['Extension link', 'into the links shown beside the ad'],
};
/** Places that leave something off get a link of their own. */
const places = computed(() =>
  linkPlaces
    .filter((place) => source.value?.body.parameters.some((p) => (p.leftOff ?? []).includes(place)))
    .map((place) => ({
      key: place,
      label: placeWords[place][0],
      where: `Paste it ${placeWords[place][1]}.`,
      link: linkFor(origin.value, props.part.key, source.value!.body, place),
    })),
);
/** The ad leads to the page itself: what is shown above is the page’s link. */
const isDirect = computed(() => source.value?.body.allowsRedirects === false && page.value !== undefined);
/** For sources that forbid redirects: the ad leads to the page itself, whose script registers the visit. */
const direct = computed(() =>
  landingPagesOf(props.part.body).flatMap((id) => {
    const landing = parts.one('landing-page', id);
    if (!landing || !source.value) return [];
    return {
      key: `direct.${id}`,
      label: 'Without redirect',
      where: `For sources that forbid redirects: the ad leads straight to ${landing.body.name}. The page needs Tracheon’s script.`,
      link: pageVisitLink(
        landing.body.url,
        { campaign: props.part.key, page: landing.key },
        source.value.body,
      ),
    };
  }),
);
const more = computed(() => {
  if (!source.value) return [];
  const query = linkParametersText(source.value.body);
  return [
    ...places.value,
    ...(isDirect.value
      ? [
          ...direct.value.slice(1),
          {
            key: 'redirect',
            label: 'With redirect',
            where: 'For other places that allow redirects.',
            link: trackingLink(origin.value, props.part.key, source.value.body),
          },
        ]
      : direct.value),
    {
      key: 'base',
      label: 'Address alone',
      where: 'For platforms with two fields: paste this into the first field.',
      link: linkBase(origin.value, props.part.key),
    },
    { key: 'query', label: 'Parameters alone', where: 'Paste this into the second field.', link: query },
    {
      key: 'seen',
      label: 'Impression pixel',
      where: 'Use it if the source loads a pixel with each ad.',
      link: impressionPixel(origin.value, props.part.key, source.value.body),
    },
    ...Array.from({ length: page.value?.body.buttons ?? 0 }, (_, i) => ({
      key: `b${i}`,
      label: `Button ${i + 1}`,
      where: `On ${page.value!.body.name}.`,
      link: buttonLink(origin.value, page.value!.key, i + 1),
    })),
  ].filter((l) => l.link !== '');
});
const shownThere = ref('');
const against = ref('whole');
const alterations = computed(() => {
  const ours =
    against.value === 'whole' ? whole.value : (more.value.find((l) => l.key === against.value)?.link ?? '');
  return shownThere.value.trim() === '' ? null : comparePasted(ours, shownThere.value);
});
const seen = useSeen();
const state = computed(() => {
  const there = pasted.of(props.part.id);
  const lastVisit = seen.at(props.part.id);
  if (!there && lastVisit)
    return {
      words: `Visits arrive through it, last ${moment(lastVisit, session.desk.zone)}.`,
      isStale: false,
      isThere: true,
    };
  if (!there) return { words: 'Not marked as pasted yet.', isStale: false, isThere: false };
  const when = `${moment(there.pastedAt, session.desk.zone)} by ${there.pastedBy || 'another member'}`;
  return there.query === pasted.queryOf(props.part)
    ? { words: `Pasted ${when}.`, isStale: false, isThere: true }
    : {
        words: `The parameters of ${source.value?.body.name} changed after you pasted the link (${when}). Paste it again.`,
        isStale: true,
        isThere: false,
      };
});
</script>
<template>
  <section class="sheet pad way" aria-label="Tracking link">
    <div class="row spread">
      <h2>Tracking link</h2>
      <label v-if="(session.me?.trackingOrigins.length ?? 0) > 1" class="quiet"
        >under
        <PickOne
          v-model="chosen"
          aria-label="Tracking domain"
          :options="[
            { value: '', label: `${session.me?.trackingOrigin} (default)` },
            ...(session.me?.trackingOrigins ?? [])
              .filter((x) => x !== session.me?.trackingOrigin)
              .map((o) => ({
                value: o,
                label: o,
              })),
          ]"
      /></label>
    </div>
    <LinkText :link="whole" expander="they" />
    <p :class="state.isStale ? 'error' : 'quiet'" class="small row">
      <CircleAlert v-if="state.isStale" :size="14" aria-hidden="true" />
      {{ source?.body.name }}: paste this as the ad’s destination. Keep the macros as they are.
      {{ isDirect ? 'It leads straight to the page, whose script registers the visit.' : '' }}
      {{ state.words }}
      <Button variant="link" v-if="session.canEdit && !state.isThere" @click="pasted.tick(part)">
        <Check :size="14" aria-hidden="true" /> Mark as pasted
      </Button>
    </p>
    <div v-if="page && !isDirect" class="onward">
      <span class="quiet">sends to</span>
      <LinkText :link="pageLink(page.body.url)" expander="we" />
      <RouterLink :to="`/parts/landing-page?open=${page.id}`">{{ page.body.name }}’s buttons</RouterLink>
    </div>
    <div v-if="offer" class="onward">
      <span class="quiet">{{
        isDirect ? 'the page’s buttons lead to' : page ? 'whose buttons lead to' : 'sends to'
      }}</span>
      <LinkText :link="onward" expander="we" />
    </div>
    <FoldBlock title="Other link forms and link check">
      <ListTable
        :rows="more"
        :row-key="(l) => l.key"
        label="Further links"
        :columns="[
          { key: 'label', label: 'Link' },
          { key: 'link', label: 'Address' },
          { key: 'copy', label: '(Copy)' },
        ]"
      >
        <template #label="{ row }"><strong>{{ row.label }}</strong></template>
        <template #link="{ row }"
          ><LinkText :link="row.link" expander="they" /><br /><span class="quiet small">{{
            row.where
          }}</span></template
        >
        <template #copy="{ row }"><CopyButton :text="row.link" label="Copy" :hint="row.label" /></template>
      </ListTable>
      <div class="check">
        <label for="shown-there"
          >Paste the link as {{ source?.body.name ?? 'the source' }} shows it to check it for changes</label
        >
        <div class="row">
          <InputText id="shown-there" v-model="shownThere" class="mono-input wide" spellcheck="false" />
          <PickOne
            v-model="against"
            class="against"
            aria-label="Compared with"
            :options="[
              { value: 'whole', label: 'the whole link' },
              ...[...places, ...direct].map((l) => ({ value: l.key, label: l.label })),
            ]"
          />
        </div>
        <div aria-live="polite">
          <p v-if="alterations?.length === 0" class="row">
            <Check :size="15" aria-hidden="true" /> The link is correct.
          </p>
          <p v-for="a in alterations ?? []" :key="a.code + a.name" class="error row">
            <CircleAlert :size="14" aria-hidden="true" /> {{ a.sentence }}
          </p>
        </div>
      </div>
    </FoldBlock>
  </section>
</template>
<style scoped>
.way {
  display: grid;
  gap: 4px;
}
.onward {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 8px;
  font-size: 12px;
}
.small {
  font-size: 12px;
  margin: 0;
  flex-wrap: wrap;
}
.check {
  display: grid;
  gap: 4px;
  padding-top: 8px;
}
.wide {
  flex: 1;
  min-width: 0;
}
.against {
  width: auto;
}
</style>
