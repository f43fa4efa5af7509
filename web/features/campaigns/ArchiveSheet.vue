<script setup lang="ts">
/** A campaign archived, and with it the parts that nothing else uses, as one change that can be undone. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import { partWords, type PartRecord } from '@tracheon/core/contract';
import { partLinks } from '@tracheon/core/parts';
import { computed, ref } from 'vue';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import { useParts } from '../../app/parts.ts';
import SideSheet from '../../ui/SideSheet.vue';
import BulkFoot from '../../shared/BulkFoot.vue';
import { useBulkChange } from '../../shared/useBulkChange.ts';

const props = defineProps<{ part: PartRecord<'campaign'> }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const { busy, failure, done, change, undo } = useBulkChange();
const also = ref<string[]>([]);
const usersOf = (id: string, without: string[]): PartRecord[] =>
  parts.all.filter(
    (p) =>
      p.state !== 'archived' &&
      !without.includes(p.id) &&
      partLinks(p.kind, p.body).some((link) => link.id === id),
  );
const own = computed(() => {
  const offer = parts.one('offer', offersOf(props.part.body)[0] ?? '');
  return [
    offer,
    parts.one('landing-page', landingPagesOf(props.part.body)[0] ?? ''),
    parts.one('source', props.part.body.sourceId),
    offer && parts.one('network', offer.body.networkId),
  ].filter((p): p is NonNullable<typeof p> => p !== undefined && p.state !== 'archived');
});
const rows = computed(() =>
  own.value.map((p) => {
    const leaving = [props.part.id, ...also.value];
    return { part: p, users: usersOf(p.id, leaving) };
  }),
);
/** What is chosen and stays in use by something else is not archived. */
const archiving = computed(() =>
  rows.value.filter((r) => also.value.includes(r.part.id) && r.users.length === 0).map((r) => r.part),
);
const names = (users: PartRecord[]): string => {
  const shown = users.slice(0, 3).map((u) => u.body.name);
  return users.length > 3 ? `${shown.join(', ')} and ${users.length - 3} more` : shown.join(', ');
};
const run = (): Promise<void> =>
  change(
    archiving.value.length === 0
      ? `Archived ${props.part.body.name}`
      : `Archived ${props.part.body.name} with ${archiving.value.map((p) => p.body.name).join(', ')}`.slice(
          0,
          200,
        ),
    [props.part, ...archiving.value].map(({ id, version }) => ({ id, version, state: 'archived' as const })),
  );
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="`Archive ${part.body.name}`"
    says="Tracheon hides it from the lists. Its figures stay, and you can restore it at any time."
  >
    <form class="stack" @submit.prevent="run">
      <h3>Archive its parts too</h3>
      <ul v-if="part.state !== 'archived'">
        <li v-for="r in rows" :key="r.part.id">
          <label class="row"
            ><Checkbox v-model="also" :value="r.part.id" :disabled="r.users.length > 0" />
            {{ r.part.body.name }}
            <span class="quiet">{{ partWords[r.part.kind] }}</span></label
          >
          <p class="quiet small">
            {{ r.users.length === 0 ? 'Nothing else uses it.' : `Also used by ${names(r.users)}.` }}
          </p>
        </li>
      </ul>
      <Button type="submit" :disabled="busy || part.state === 'archived'">
        {{
          part.state === 'archived'
            ? 'Archived'
            : archiving.length === 0
              ? 'Archive campaign'
              : `Archive campaign and ${archiving.length === 1 ? '1 part' : `${archiving.length} parts`}`
        }}
      </Button>
      <BulkFoot :done="done" :failure="failure" :busy="busy" one="record" @undo="undo" />
    </form>
  </SideSheet>
</template>
<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 8px;
}
.small {
  font-size: 12px;
  margin-left: 26px;
}
</style>
