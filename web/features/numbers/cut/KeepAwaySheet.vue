<script setup lang="ts">
/** Values kept away by routing: which campaigns change, what their visitors get instead, and one change that can be undone. */
import Button from 'primevue/button';
import { keepAway } from '@tracheon/core/cutting';
import { computed } from 'vue';
import { useParts } from '../../../app/parts.ts';
import BulkFoot from '../../../shared/BulkFoot.vue';
import { useBulkChange } from '../../../shared/useBulkChange.ts';
import SideSheet from '../../../ui/SideSheet.vue';
import { counted } from '../../../ui/format.ts';

const props = defineProps<{ sourceId: string; sourceName: string; sub: string; values: string[] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const { busy, failure, done, change, undo } = useBulkChange();
const campaigns = computed(() =>
  parts.of('campaign').filter((c) => c.body.sourceId === props.sourceId && c.state === 'live'),
);
/** One that follows a shared routing is changed where that routing is. */
const own = computed(() => campaigns.value.filter((c) => c.body.sharedRoutingId === ''));
const shared = computed(() => campaigns.value.filter((c) => c.body.sharedRoutingId !== ''));
const changes = computed(() =>
  own.value.flatMap((c) => {
    const body = keepAway(c.body, props.sub, props.values);
    return body === null || body === c.body ? [] : [{ id: c.id, version: c.version, body }];
  }),
);
const full = computed(() => own.value.filter((c) => keepAway(c.body, props.sub, props.values) === null));
const words = computed(() =>
  props.values.length === 1
    ? `Kept away ${props.values[0]!} (${props.sub})`
    : `Kept away ${counted(props.values.length, 'value')} of ${props.sub}`,
);
const many = (n: number): string => (n === 1 ? '1 campaign' : `${n} campaigns`);
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Keep away"
    says="Routing sends these visitors to the fallback instead of an offer. The source bills their visits on, until it has your block list."
  >
    <p>
      {{ sub }} of {{ sourceName }}:
      <code v-for="v in values.slice(0, 20)" :key="v" class="value">{{ v }}</code>
      <span v-if="values.length > 20">and {{ values.length - 20 }} more</span>
    </p>
    <BulkFoot v-if="done" :done="done" :failure="failure" :busy="busy" @undo="undo" />
    <template v-else>
      <p v-if="changes.length > 0">Changes {{ many(changes.length) }} that run now:</p>
      <p v-else>No campaign of this source that runs now needs a change.</p>
      <ul>
        <li v-for="c in own.filter((o) => changes.some((ch) => ch.id === o.id))" :key="c.id">
          {{ c.body.name }}
        </li>
      </ul>
      <p v-if="shared.length > 0" class="quiet">
        Not changed, because they follow a shared routing: {{ shared.map((c) => c.body.name).join(', ') }}.
        Add a branch to the shared routing.
      </p>
      <p v-if="full.length > 0" class="quiet">
        Not changed, because a branch can name at most 1000 values:
        {{ full.map((c) => c.body.name).join(', ') }}.
      </p>
      <Button :disabled="busy || changes.length === 0" @click="change(words, changes)"
        >Keep {{ values.length === 1 ? 'this value' : `${values.length} values` }} away</Button
      >
    </template>
    <p v-if="failure && !done" class="error" role="alert">{{ failure }}</p>
  </SideSheet>
</template>
<style scoped>
.value {
  margin-right: 8px;
}
</style>
