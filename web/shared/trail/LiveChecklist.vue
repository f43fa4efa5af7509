<script setup lang="ts">
/** Visit, button click, conversion, postback to the source: each turns on when Tracheon has seen it, and until then says what to look at. */
import Button from 'primevue/button';
import FoldBlock from '../../ui/FoldBlock.vue';
import type { CheckStep } from '@tracheon/core/trail';
import { computed, ref } from 'vue';
import { useKeys } from '../../app/keys.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import VisitSheet from '../VisitSheet.vue';
import TestBench from './TestBench.vue';
import type { ShownCampaign } from './useCampaignLive.ts';

const props = defineProps<{ shown: ShownCampaign; country?: string }>();
const session = useSession();
const opened = ref('');
const sheetOpen = ref(false);
const steps = computed(() => props.shown.steps.value);
const marks: Record<CheckStep['state'], string> = {
  off: 'not yet',
  near: 'not yet, next',
  on: 'seen',
  trouble: 'something is wrong',
  not_needed: 'not needed',
};
/** The newest that was seen: its raw request is a key away. */
function openNewest(): void {
  const newest = steps.value.findLast((s) => s.clickId !== '');
  if (newest) openTrail(newest.clickId);
}
useKeys([{ key: 'r', words: 'Latest raw request', run: openNewest }]);
function openTrail(clickId: string): void {
  opened.value = clickId;
  sheetOpen.value = true;
}
</script>
<template>
  <section class="checklist" aria-label="Live checklist">
    <div class="row spread">
      <h2>Live checklist</h2>
      <Button variant="link" class="small" @click="openNewest">Latest raw request <kbd>R</kbd></Button>
    </div>
    <StateBlock
      v-if="shown.failure.value && steps.length === 0"
      state="failed"
      :words="shown.failure.value"
      @again="shown.load"
    />
    <StateBlock v-else-if="steps.length === 0" state="loading" />
    <ol v-else aria-live="polite">
      <li v-for="s in steps" :key="s.key" :class="s.state">
        <span class="mark" aria-hidden="true" />
        <div>
          <p class="what">
            <span
              >{{ s.words }}<span class="visually-hidden">: {{ marks[s.state] }}</span>
              <span v-if="s.isTest" class="test">test</span></span
            >
            <span v-if="s.at" class="quiet when">{{ moment(s.at, session.desk.zone) }}</span>
          </p>
          <p
            v-if="s.says"
            class="small"
            :class="{ quiet: s.state !== 'trouble', error: s.state === 'trouble' }"
          >
            {{ s.says }}
          </p>
          <Button variant="link" class="small" v-if="s.clickId" @click="openTrail(s.clickId)">
            ID trail and raw request
          </Button>
          <FoldBlock title="Raw request" v-else-if="s.raw" class="raw">
            <code>{{ s.raw }}</code>
          </FoldBlock>
        </div>
      </li>
    </ol>
    <TestBench v-if="session.canEdit" :shown="shown" :country="country ?? ''" />
    <VisitSheet v-if="opened" v-model:open="sheetOpen" :click-id="opened" />
  </section>
</template>
<style scoped>
.checklist {
  display: grid;
  gap: 8px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 8px;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.mark {
  width: 12px;
  height: 12px;
  margin-top: 4px;
  border-radius: 50%;
  border: 1.5px solid var(--border);
}
.near .mark {
  border-color: var(--ink);
  background: conic-gradient(var(--ink) 25%, transparent 0);
}
.on .mark {
  border-color: var(--ink);
  background: var(--ink);
}
.trouble .mark {
  border-color: var(--error);
  border-radius: 0;
  transform: rotate(45deg);
}
.not_needed .mark {
  border: 0;
  border-top: 1.5px solid var(--border);
  border-radius: 0;
  height: 0;
  margin-top: 10px;
}
.off .what,
.not_needed .what {
  color: var(--quiet);
}
.what {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.when {
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.test {
  border: 1px solid var(--border);
  border-radius: 3px;
  font-size: 11px;
  padding: 0 4px;
  margin-left: 4px;
}
.small {
  font-size: 12px;
  overflow-wrap: anywhere;
}
button.bare.small {
  min-height: 24px;
  padding-left: 0;
}
.raw {
  border: 0;
  padding: 0;
  font-size: 12px;
}
.raw code {
  overflow-wrap: anywhere;
}
@media (max-width: 640px) {
  button.bare.small {
    min-height: 44px;
  }
}
</style>
