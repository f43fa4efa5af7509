<script setup lang="ts">
/** Tags added to several campaigns or taken off them, done as one change, undone as one. */
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useParts } from '../../../app/parts.ts';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import SideSheet from '../../../ui/SideSheet.vue';
import TagsField from '../../../shared/TagsField.vue';
import BulkFoot from '../../../shared/BulkFoot.vue';
import { useBulkChange } from '../../../shared/useBulkChange.ts';

const props = defineProps<{ chosen: PartRecord<'campaign'>[] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const { busy, failure, done, change, undo } = useBulkChange();
const tags = ref<string[]>([]);
const how = ref<'add' | 'remove'>('add');
const retagged = (own: string[]): string[] =>
  how.value === 'add' ? [...new Set([...own, ...tags.value])] : own.filter((t) => !tags.value.includes(t));
const changing = computed(() =>
  props.chosen
    .map((c) => parts.one('campaign', c.id))
    .filter((c) => c !== undefined)
    .filter((c) => retagged(c.body.tags).length !== c.body.tags.length),
);
const campaigns = (n: number): string => (n === 1 ? '1 campaign' : `${n} campaigns`);
const verb = computed(() => (how.value === 'add' ? 'Add tags to' : 'Remove tags from'));
const run = (): Promise<void> =>
  change(
    `${how.value === 'add' ? 'Added' : 'Removed'} tags: ${tags.value.join(', ')}`,
    changing.value.map(({ id, version, body }) => ({
      id,
      version,
      body: { ...body, tags: retagged(body.tags) },
    })),
  );
</script>
<template>
  <SideSheet v-model:open="open" title="Tags" :says="`For ${campaigns(chosen.length)}.`">
    <form class="stack" @submit.prevent="run">
      <SegmentChoice
        v-model="how"
        label="What to do"
        :options="[
          { value: 'add', label: 'Add' },
          { value: 'remove', label: 'Remove' },
        ]"
      />
      <TagsField v-model="tags" />
      <Button type="submit" :disabled="busy || changing.length === 0">
        {{
          changing.length > 0
            ? `${verb} ${campaigns(changing.length)}`
            : tags.length === 0
              ? 'Enter tags first'
              : 'Nothing to change'
        }}
      </Button>
      <BulkFoot :done="done" :failure="failure" :busy="busy" @undo="undo" />
    </form>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
