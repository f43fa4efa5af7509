<script setup lang="ts">
/** An amount as people type it; the model is micro-units in decimal text, empty while it cannot be read. */
import { amountSentence, formatAmount, parseAmount } from '@tracheon/core/money';
import { ref, watch } from 'vue';

defineProps<{ id?: string; describedby?: string; invalid?: boolean; label?: string }>();
const model = defineModel<string>({ required: true });
const text = ref(model.value === '' ? '' : formatAmount(BigInt(model.value)));
const problem = ref('');

function read(): void {
  const parsed = parseAmount(text.value);
  problem.value = parsed.ok || parsed.problem === 'empty' ? '' : amountSentence(parsed.problem, text.value);
  model.value = parsed.ok ? parsed.micros.toString() : '';
}
watch(model, (now) => {
  const parsed = parseAmount(text.value);
  if (now !== (parsed.ok ? parsed.micros.toString() : ''))
    text.value = now === '' ? '' : formatAmount(BigInt(now));
});
</script>
<template>
  <div>
    <input
      :id="id"
      v-model="text"
      inputmode="decimal"
      autocomplete="off"
      :aria-label="label"
      :aria-describedby="describedby"
      :aria-invalid="invalid || problem !== ''"
      @input="read"
    />
    <p v-if="problem" class="error note">{{ problem }}</p>
  </div>
</template>
<style scoped>
.note {
  font-size: 12px;
}
</style>
