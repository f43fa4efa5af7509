<script setup lang="ts">
/** Values that visits had of late, with their counts: chosen by a click instead of being typed. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, ref } from 'vue';
import { count } from '../../../ui/format.ts';
import { useRecent } from './recent.ts';

const props = defineProps<{ field: string; label: string }>();
const values = defineModel<string[]>({ required: true });
const recent = useRecent();
/** More are behind a button. */
const FIRST = 10;
const showsAll = ref(false);
const search = ref('');
const seen = computed(() => recent.value.values?.fields.find((f) => f.field === props.field)?.values ?? []);
const found = computed(() => {
  const text = search.value.trim().toLowerCase();
  return text === '' ? seen.value : seen.value.filter((s) => s.value.toLowerCase().includes(text));
});
const shown = computed(() => (showsAll.value ? found.value : seen.value.slice(0, FIRST)));
const isOn = (value: string): boolean => values.value.includes(value);
const toggle = (value: string): void => {
  values.value = isOn(value) ? values.value.filter((v) => v !== value) : [...values.value, value];
};
</script>
<template>
  <div v-if="seen.length > 0" class="seen" role="group" :aria-label="`${label}: seen in the last 7 days`">
    <span class="quiet"
      >Seen in the last 7 days{{ recent.values?.isOfSource ? ' on this source' : '' }}:</span
    >
    <InputText
      v-if="showsAll && seen.length > FIRST"
      v-model="search"
      class="search"
      placeholder="Search"
      aria-label="Search values"
    />
    <Button
      v-for="s in shown"
      :key="s.value"
      severity="secondary"
      class="value"
      :class="{ on: isOn(s.value) }"
      :aria-pressed="isOn(s.value)"
      @click="toggle(s.value)"
      ><span class="text">{{ s.value === '' ? '(unknown)' : s.value }}</span
      ><span class="quiet">{{ count(s.visits) }}</span></Button
    >
    <Button v-if="seen.length > FIRST" variant="link" class="more" @click="showsAll = !showsAll">{{
      showsAll ? 'Show fewer' : `Show all ${seen.length}`
    }}</Button>
  </div>
</template>
<style scoped>
.seen {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  font-size: 12px;
  margin-top: 4px;
  max-height: 190px;
  overflow-y: auto;
}
.value {
  padding: 1px 6px;
  gap: 6px;
  font-size: 12px;
  max-width: 240px;
}
.text {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.value.on {
  border-color: var(--action);
  border-width: 2px;
  padding: 0 5px;
}
.search {
  width: 120px;
  padding: 1px 6px;
}
.more {
  font-size: 12px;
  padding: 1px 4px;
}
</style>
