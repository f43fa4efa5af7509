<script setup lang="ts" generic="R">
/** Above a table: which columns it shows, and its rows as a CSV file. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import Popover from 'primevue/popover';
import { ArrowDown, ArrowUp, Columns3, Download, Pin, PinOff } from '@lucide/vue';
import { computed, ref } from 'vue';
import { isSpoken, type Column } from './tableColumns.ts';

const props = defineProps<{ columns: Column<R>[]; hidden: string[]; pinned: string[]; label: string }>();
const emit = defineEmits<{
  hide: [keys: string[]];
  move: [key: string, by: number];
  pin: [keys: string[]];
  reset: [];
  csv: [];
}>();
/** Columns beyond this are searched for. */
const MANY = 12;
const wanted = ref('');
const listed = computed(() => {
  const text = wanted.value.trim().toLowerCase();
  return props.columns
    .map((c, i) => ({ c, i }))
    .filter(({ c }) => !isSpoken(c.label) && c.label.toLowerCase().includes(text));
});
const menu = ref<InstanceType<typeof Popover> | null>(null);
function toggle(key: string, isShown: boolean): void {
  emit('hide', isShown ? props.hidden.filter((k) => k !== key) : [...props.hidden, key]);
}
const isPinned = (key: string): boolean => props.pinned.includes(key);
function pin(key: string): void {
  emit('pin', isPinned(key) ? props.pinned.filter((k) => k !== key) : [...props.pinned, key]);
}
</script>
<template>
  <div class="tools">
    <Button
      variant="text"
      severity="secondary"
      size="small"
      :aria-label="`Columns of ${label}`"
      aria-haspopup="dialog"
      @click="menu?.toggle($event)"
    >
      <Columns3 :size="15" aria-hidden="true" /> Columns
    </Button>
    <Button
      variant="text"
      severity="secondary"
      size="small"
      :aria-label="`Export ${label} as CSV`"
      @click="$emit('csv')"
    >
      <Download :size="15" aria-hidden="true" /> CSV
    </Button>
    <Popover ref="menu" :aria-label="`Columns of ${label}`">
      <InputText
        v-if="columns.length > MANY"
        v-model="wanted"
        type="search"
        placeholder="Search columns"
        aria-label="Search columns"
        class="search"
      />
      <ul>
        <li v-for="{ c, i } in listed" :key="c.key">
          <label class="row"
            ><Checkbox
              binary
              :model-value="!hidden.includes(c.key)"
              :disabled="c.fixed"
              @update:model-value="toggle(c.key, $event)"
            />
            {{ c.label }}</label
          >
          <span>
            <Button
              variant="text"
              severity="secondary"
              size="small"
              :aria-label="`Pin ${c.label}`"
              :aria-pressed="i === 0 || isPinned(c.key)"
              :disabled="i === 0"
              @click="pin(c.key)"
            >
              <component :is="i === 0 || isPinned(c.key) ? PinOff : Pin" :size="14" aria-hidden="true" />
            </Button>
            <Button
              variant="text"
              severity="secondary"
              size="small"
              :aria-label="`Move ${c.label} to the left`"
              :disabled="i === 0"
              @click="$emit('move', c.key, -1)"
            >
              <ArrowUp :size="14" />
            </Button>
            <Button
              variant="text"
              severity="secondary"
              size="small"
              :aria-label="`Move ${c.label} to the right`"
              @click="$emit('move', c.key, 1)"
            >
              <ArrowDown :size="14" />
            </Button>
          </span>
        </li>
      </ul>
      <Button variant="link" @click="$emit('reset')">Reset columns</Button>
    </Popover>
  </div>
</template>
<style scoped>
.tools {
  display: flex;
  justify-content: flex-end;
  gap: 2px;
  padding: 2px 6px;
  border-bottom: 1px solid var(--hairline);
}
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
  max-height: 55vh;
  overflow-y: auto;
}
.search {
  width: 100%;
  margin-bottom: 6px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 18px;
}
</style>
