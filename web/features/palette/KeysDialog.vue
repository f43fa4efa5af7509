<script setup lang="ts">
import Checkbox from 'primevue/checkbox';
import Dialog from 'primevue/dialog';
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { activeKeys, setSingleKeys, singleKeysOn, useKeys } from '../../app/keys.ts';
import { keysOpen } from './palette.ts';

const GuideText = defineAsyncComponent(() => import('../../ui/GuideText.vue'));
const route = useRoute();
const guide = ref('');
useKeys([{ key: '?', words: 'Guide and keys for this screen', run: () => (keysOpen.value = true) }]);
watch(keysOpen, async (isOpen) => {
  if (isOpen) guide.value = await (await import('./guides.ts')).guideOf(route.path);
});
const shown = computed(() => [{ key: 'Ctrl K', words: 'Go, create, copy, search' }, ...activeKeys.value]);
const pretty = (key: string): string =>
  key.replace('ArrowLeft', '←').replace('ArrowRight', '→').replace('+', ' ');
</script>
<template>
  <Dialog
    v-model:visible="keysOpen"
    modal
    :header="guide ? 'Guide and keys' : 'Keys on this screen'"
    :style="{ width: guide ? 'min(900px, 94vw)' : 'min(420px, 94vw)' }"
    :draggable="false"
    dismissable-mask
  >
    <div :class="{ both: guide }">
      <GuideText v-if="guide" :text="guide" />
      <section aria-label="Keys">
        <h2 v-if="guide">Keys</h2>
        <dl>
          <template v-for="k in shown" :key="k.key"
            ><dt>
              <kbd>{{ pretty(k.key) }}</kbd>
            </dt>
            <dd>{{ k.words }}</dd></template
          >
        </dl>
        <label class="row"
          ><Checkbox :model-value="singleKeysOn" @update:model-value="setSingleKeys" binary /> Use single-key
          shortcuts</label
        >
      </section>
    </div>
  </Dialog>
</template>
<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 1.6fr) minmax(240px, 1fr);
  gap: 26px;
}
h2 {
  margin: 0 0 8px;
  font-size: 16px;
}
@media (max-width: 700px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
dl {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 6px;
  margin: 0 0 14px;
}
dd {
  margin: 0;
}
kbd {
  font-size: 12px;
  line-height: 18px;
}
</style>
