<script setup lang="ts">
/** Needs repair: groups of alike postbacks, largest first, each with the change that repairs it and one example beside it. */
import Button from 'primevue/button';
import type { RepairGroup } from '@tracheon/core/contract';
import { Radio } from '@lucide/vue';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import ConversionsNav from './ConversionsNav.vue';
import PostbackSheet from './PostbackSheet.vue';
import BatchRuns from './repair/BatchRuns.vue';
import ExamplePostback from './repair/ExamplePostback.vue';
import GroupCard from './repair/GroupCard.vue';
import WaitForPostback from '../../shared/WaitForPostback.vue';

const route = useRoute();
const groups = ref<RepairGroup[] | null>(null);
const failure = ref('');
const chosen = ref('');
const runs = ref<InstanceType<typeof BatchRuns> | null>(null);
const nameOf = (g: RepairGroup): string => [g.networkId, g.outcome, g.reason, g.key].join('|');

const asks = newest();
const load = (): Promise<void> => asks(ask('repairGroups', {}), show, (why) => (failure.value = why));
function show(found: RepairGroup[]): void {
  groups.value = found;
  failure.value = '';
  if (found.some((g) => nameOf(g) === chosen.value)) return;
  // A link may lead to what a network's postbacks need.
  const first = found.find((g) => g.networkId === route.query.network) ?? found[0];
  chosen.value = first ? nameOf(first) : '';
}
void load();
onNews(['postbacks-in'], load, 1500);
const current = computed(() => groups.value?.find((g) => nameOf(g) === chosen.value) ?? null);
const opened = ref('');
const open = ref(false);
function openPostback(id: string): void {
  opened.value = id;
  open.value = true;
}
const waits = ref(false);
const cards = ref<InstanceType<typeof GroupCard>[]>([]);
const chosenCard = (): InstanceType<typeof GroupCard> | undefined =>
  cards.value.find((_, i) => groups.value?.[i] && nameOf(groups.value[i]!) === chosen.value);
function changed(): void {
  void load();
  void runs.value?.load();
}
useKeys([
  { key: 'f', words: 'Fix and reprocess the chosen group', run: () => void chosenCard()?.repair() },
  { key: 'w', words: 'Wait for a postback', run: () => (waits.value = true) },
]);
</script>
<template>
  <PageHead
    title="Needs repair"
    says="Postbacks that Tracheon kept but could not book, grouped by what fixes them."
  >
    <Button severity="secondary" @click="waits = true"
      ><Radio :size="15" aria-hidden="true" /> Wait for a postback <kbd>W</kbd></Button
    >
  </PageHead>
  <ConversionsNav class="nav" />
  <StateBlock v-if="failure" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="groups === null" class="sheet" state="loading" />
  <template v-else>
    <StateBlock
      v-if="groups.length === 0"
      class="sheet"
      state="empty"
      title="Nothing needs repair"
      words="When Tracheon cannot read or match a postback, it appears here with the reason and the fix."
    />
    <div v-else class="beside">
      <div class="stack">
        <GroupCard
          v-for="g in groups"
          :key="nameOf(g)"
          ref="cards"
          :group="g"
          :is-open="nameOf(g) === chosen"
          @pick="chosen = nameOf(g)"
          @changed="changed"
        />
      </div>
      <ExamplePostback v-if="current" :group="current" @open="openPostback" />
    </div>
    <BatchRuns ref="runs" class="runs" title="Latest repairs" :kinds="['repair']" @changed="load" />
  </template>
  <PostbackSheet v-if="opened" :id="opened" v-model:open="open" @changed="changed" />
  <WaitForPostback v-if="waits" v-model:open="waits" @caught="openPostback" />
</template>
<style scoped>
.nav {
  margin-bottom: 10px;
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}
@media (min-width: 1100px) {
  .beside {
    grid-template-columns: minmax(0, 2.2fr) minmax(0, 1fr);
  }
}
.runs {
  margin-top: 14px;
}
</style>
