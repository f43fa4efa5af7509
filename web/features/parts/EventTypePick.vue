<script setup lang="ts">
/** One of the desk's event types, or a new one, created in place. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { useToast } from 'primevue/usetoast';
import { computed, nextTick, ref } from 'vue';
import { wholeBody } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{
  ariaLabel?: string;
  /** First in the list, with an empty value. */
  anyLabel?: string;
  /** The network's word for it: names the new one. */
  word?: string;
  invalid?: boolean;
}>();
const model = defineModel<string>({ required: true });
const parts = useParts();
const session = useSession();
const toast = useToast();
const NEW = '(new)';
const options = computed(() => [
  ...(props.anyLabel ? [{ value: '', label: props.anyLabel }] : []),
  ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
  ...(session.canEdit ? [{ value: NEW, label: 'Create event type …' }] : []),
]);
const name = ref<string | null>(null);
const failure = ref('');
const input = ref<InstanceType<typeof InputText> | null>(null);
const asWord = (text: string): string =>
  text
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9_]+/g, '_')
    .replace(/^[^a-z]+|_+$/g, '')
    .slice(0, 32);
async function pick(value = ''): Promise<void> {
  if (value !== NEW) return void (model.value = value);
  const word = props.word?.trim() ?? '';
  name.value = word.charAt(0).toUpperCase() + word.slice(1);
  failure.value = '';
  await nextTick();
  (input.value as unknown as { $el: HTMLInputElement } | null)?.$el.focus();
}
async function create(): Promise<void> {
  const text = name.value?.trim() ?? '';
  if (text === '') return;
  try {
    const made = await parts.create(
      'event-type',
      wholeBody('event-type', { name: text, word: asWord(text) }),
    );
    model.value = made.id;
    name.value = null;
    toast.add({
      severity: 'secondary',
      summary: `Event type ${text} created`,
      detail: 'It counts as conversion and as revenue. Change that under Parts, Event types.',
      life: 6000,
    });
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
</script>
<template>
  <span v-if="name !== null" class="making">
    <InputText
      ref="input"
      v-model="name"
      aria-label="Name of the new event type"
      :invalid="failure !== ''"
      @keydown.enter.prevent="create"
      @keydown.escape.stop.prevent="name = null"
    />
    <Button severity="secondary" size="small" :disabled="name.trim() === ''" @click="create">Create</Button>
    <Button variant="link" size="small" @click="name = null">Cancel</Button>
    <span v-if="failure" class="error" role="alert">{{ failure }}</span>
  </span>
  <PickOne
    v-else
    :model-value="model"
    v-bind="ariaLabel ? { ariaLabel } : {}"
    :options="options"
    :invalid="invalid"
    placeholder="Choose"
    @update:model-value="pick"
  />
</template>
<style scoped>
.making {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.making input {
  width: 130px;
}
</style>
