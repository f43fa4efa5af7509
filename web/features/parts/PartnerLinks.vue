<script setup lang="ts">
/** What a partner is given: the link of each campaign, with the partner's ID in it. */
import type { PartRecord } from '@tracheon/core/contract';
import { adLink, partnerLink } from '@tracheon/core/links';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import LinkText from '../../ui/LinkText.vue';
import ListTable from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';

const props = defineProps<{ part: PartRecord<'partner'> }>();
const parts = useParts();
const session = useSession();
const links = computed(() =>
  parts.of('campaign').flatMap((campaign) => {
    const source = parts.one('source', campaign.body.sourceId);
    if (!source) return [];
    const link = adLink(session.me?.trackingOrigin ?? '', campaign, source.body, (id) =>
      parts.one('landing-page', id),
    );
    return { id: campaign.id, name: campaign.body.name, link: partnerLink(link, props.part.id) };
  }),
);
</script>
<template>
  <section aria-label="Partner links">
    <h3 class="head">Partner links</h3>
    <p class="quiet">
      Give {{ part.body.name }} the link of a campaign. Numbers then shows these visits under this partner.
      The partner fills in the macros of the source.
    </p>
    <p class="row">
      <span>ID of the partner</span> <code>{{ part.id }}</code>
      <CopyButton :text="part.id" label="ID" :aria-label="`Copy the ID of ${part.body.name}`" />
    </p>
    <ListTable
      :rows="links"
      :state="parts.state"
      :failure="parts.failure"
      label="Partner links"
      name="partner-links"
      :columns="[
        { key: 'name', label: 'Campaign', sort: (l) => l.name },
        { key: 'link', label: 'Link' },
        { key: 'copy', label: '(copy)' },
      ]"
      @again="parts.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          title="No campaign yet"
          words="Set up a campaign first; its link appears here."
        />
      </template>
      <template #name="{ row }">{{ row.name }}</template>
      <template #link="{ row }"><LinkText :link="row.link" expander="they" tight /></template>
      <template #copy="{ row }"
        ><CopyButton :text="row.link" label="Link" :aria-label="`Copy the partner link of ${row.name}`"
      /></template>
    </ListTable>
  </section>
</template>
<style scoped>
.head {
  margin: 0 0 4px;
}
</style>
