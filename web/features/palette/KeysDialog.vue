<script setup lang="ts">
import Dialog from 'primevue/dialog';
import { computed } from 'vue';
import { activeKeys, setSingleKeys, singleKeysOn, useKeys } from '../../app/keys.ts';
import { keysOpen } from './palette.ts';

useKeys([{ key: '?', words: 'All keys', run: () => (keysOpen.value = true) }]);
const shown = computed(() => [{ key: 'Ctrl K', words: 'Go, create, copy, search' }, ...activeKeys.value]);
const pretty = (key: string): string =>
  key.replace('ArrowLeft', '←').replace('ArrowRight', '→').replace('+', ' ');
</script>
<template>
  <Dialog
    v-model:visible="keysOpen"
    modal
    header="Keys on this screen"
    :style="{ width: 'min(420px, 94vw)' }"
    :draggable="false"
    dismissable-mask
  >
    <dl>
      <template v-for="k in shown" :key="k.key"
        ><dt>
          <kbd>{{ pretty(k.key) }}</kbd>
        </dt>
        <dd>{{ k.words }}</dd></template
      >
    </dl>
    <label class="row"
      ><input
        type="checkbox"
        :checked="singleKeysOn"
        @change="setSingleKeys(($event.target as HTMLInputElement).checked)"
      />
      Single keys are on</label
    >
  </Dialog>
</template>
<style scoped>
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
