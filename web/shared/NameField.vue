<script setup lang="ts">
/** A name, with whether it is taken said while it is typed. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import { partWords, type PartKind } from '@tracheon/core/contract';
import { ref, watch } from 'vue';
import { ask } from '../app/api.ts';
import FormField from '../ui/FormField.vue';

const props = defineProps<{
  kind: PartKind;
  error?: string | undefined;
  except?: string | undefined;
  /** By the desk's rule; offered while it differs from what is typed. */
  suggestion?: string;
  label?: string;
  hint?: string;
  placeholder?: string;
}>();
const model = defineModel<string>({ required: true });
const taken = ref(false);
const free = ref(false);
const TYPING_PAUSE_MS = 250;
let timer: ReturnType<typeof setTimeout> | undefined;

watch(model, (name) => {
  clearTimeout(timer);
  taken.value = free.value = false;
  if (name.trim() === '') return;
  timer = setTimeout(async () => {
    const answer = await ask('nameFree', {
      kind: props.kind,
      query: { name, except: props.except },
    }).catch(() => null);
    if (model.value !== name || answer === null) return;
    [taken.value, free.value] = [!answer.free, answer.free];
  }, TYPING_PAUSE_MS);
});
</script>
<template>
  <FormField
    v-slot="{ id, invalid, described }"
    :label="label ?? 'Name'"
    :hint="hint ?? ''"
    :error="taken ? `Another ${partWords[kind]} has this name.` : error"
    :good="free ? 'This name is free.' : ''"
  >
    <InputText
      :id="id"
      v-model="model"
      maxlength="120"
      :placeholder="placeholder"
      autocomplete="off"
      :invalid="invalid"
      :aria-describedby="described"
    />
  </FormField>
  <p v-if="suggestion && suggestion !== model" class="suggest">
    Suggested: <Button variant="link" @click="model = suggestion">{{ suggestion }}</Button>
  </p>
</template>
<style scoped>
.suggest {
  margin-top: -10px;
}
</style>
