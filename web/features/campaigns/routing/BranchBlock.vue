<script setup lang="ts">
/** One branch: its sentence, its conditions when they are opened, its split. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { Branch, Way } from '@tracheon/core/contract';
import type { RoutingFinding } from '@tracheon/core/routing';
import { ArrowDown, ArrowUp, CircleAlert, GripVertical, Trash2 } from '@lucide/vue';
import { computed } from 'vue';
import FormField from '../../../ui/FormField.vue';
import ConditionRows from './ConditionRows.vue';
import PairingRows from './PairingRows.vue';

const props = defineProps<{
  branch: Branch;
  number: number;
  isLast: boolean;
  canDrag: boolean;
  /** How many visits it took of late; empty: not known. */
  lately: string;
  isOpen: boolean;
  /** The condition as a sentence. */
  words: string;
  subs: string[];
  isTried: boolean;
  letters: (id: string) => string;
  newId: () => string;
  findings: readonly RoutingFinding[];
  error: (path: string) => string | undefined;
}>();
const emit = defineEmits<{ change: [Branch]; toggle: []; up: []; down: []; remove: [] }>();
const own = computed(() => props.findings.filter((f) => f.pairingId === ''));
const setWay = ({ split, pairings }: Way): void => emit('change', { ...props.branch, split, pairings });
</script>
<template>
  <section class="sheet pad" :class="{ wrong: own.length > 0 }" :aria-label="`Branch ${number}`">
    <div class="row spread top">
      <h2 class="sentence">
        <GripVertical v-if="canDrag" class="grip" :size="15" aria-hidden="true" />
        <span class="number">{{ number }}</span>
        <Button
          variant="link"
          :aria-expanded="isOpen"
          :aria-label="`Conditions of branch ${number}: ${words}`"
          @click="emit('toggle')"
          ><span class="words">{{ words }}</span></Button
        >
      </h2>
      <div class="row acts">
        <span v-if="lately" class="quiet lately">{{ lately }}</span>
        <Button
          variant="link"
          :disabled="number === 1"
          :aria-label="`Move branch ${number} up`"
          @click="emit('up')"
          ><ArrowUp :size="15"
        /></Button>
        <Button
          variant="link"
          :disabled="isLast"
          :aria-label="`Move branch ${number} down`"
          @click="emit('down')"
          ><ArrowDown :size="15"
        /></Button>
        <Button variant="link" :aria-label="`Remove branch ${number}`" @click="emit('remove')"
          ><Trash2 :size="15"
        /></Button>
      </div>
    </div>
    <p v-for="f in own" :key="f.code" class="row error" role="note">
      <CircleAlert :size="15" aria-hidden="true" /> {{ f.sentence }}
    </p>
    <FormField v-if="isOpen" v-slot="{ id, invalid }" label="Name" class="name" :error="error('name')">
      <InputText
        :id="id"
        :model-value="branch.name"
        :invalid="invalid"
        @update:model-value="(name) => emit('change', { ...branch, name: name ?? '' })"
      />
    </FormField>
    <ConditionRows
      v-if="isOpen"
      :model-value="branch.when"
      :subs="subs"
      :is-tried="isTried"
      :error="(path) => error(`when.${path}`)"
      @update:model-value="(when) => emit('change', { ...branch, when })"
    />
    <PairingRows
      :model-value="branch"
      :of="`branch ${number}`"
      :way-id="branch.id"
      :letters="letters"
      :new-id="newId"
      :findings="findings"
      :error="error"
      @update:model-value="setWay"
    />
  </section>
</template>
<style scoped>
.top {
  align-items: start;
  flex-wrap: nowrap;
}
.sentence {
  display: flex;
  gap: 8px;
  align-items: baseline;
  font-weight: 500;
}
.number {
  font-size: 12px;
  color: var(--quiet);
}
.words {
  text-align: left;
  color: var(--ink);
  border-bottom: 1px dotted var(--ink);
}
.acts {
  flex: none;
  gap: 0;
}
.grip {
  cursor: grab;
  flex: none;
  align-self: center;
  color: var(--quiet);
}
.lately {
  font-size: 12px;
  margin-right: 8px;
}
.name {
  max-width: 388px;
}
.sentence {
  min-width: 0;
}
.words {
  overflow-wrap: anywhere;
}
@media (max-width: 700px) {
  .top,
  .acts {
    flex-wrap: wrap;
  }
}
.wrong {
  border-color: var(--error);
}
</style>
