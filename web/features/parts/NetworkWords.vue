<script setup lang="ts">
/** A network's words for statuses and events, each with what it means to us. */
import InputText from 'primevue/inputtext';
import PickOne from '../../ui/PickOne.vue';
import Button from 'primevue/button';
import { statusMeanings, type NetworkInput } from '@tracheon/core/contract';
import { Plus, X } from '@lucide/vue';
import { useParts } from '../../app/parts.ts';
import FormField from '../../ui/FormField.vue';

const body = defineModel<NetworkInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
</script>
<template>
  <div class="words">
    <h3>Status mapping</h3>
    <p class="quiet small">
      Our own status names always work. A postback with an unmapped status needs repair.
    </p>
    <div v-for="(w, i) in body.statusWords" :key="i" class="row">
      <InputText
        v-model="w.word"
        class="mono-input word"
        :aria-label="`Status word ${i + 1}`"
        :invalid="!!error(`statusWords.${i}.word`)"
      />
      <span class="quiet">means</span>
      <PickOne
        v-model="w.means"
        class="means"
        :aria-label="`Meaning of status word ${i + 1}`"
        :options="[...statusMeanings.map((m) => ({ value: m, label: m }))]"
      />
      <Button
        variant="link"
        :aria-label="`Remove status word ${i + 1}`"
        @click="body.statusWords.splice(i, 1)"
      >
        <X :size="15" />
      </Button>
      <span v-if="error(`statusWords.${i}.word`)" class="error small">{{
        error(`statusWords.${i}.word`)
      }}</span>
    </div>
    <Button variant="link" @click="body.statusWords.push({ word: '', means: 'approved' })">
      <Plus :size="14" aria-hidden="true" /> Status word
    </Button>
  </div>
  <FormField v-slot="{ id }" label="A postback without a status means">
    <PickOne
      :id="id"
      v-model="body.noStatusMeans"
      :options="[
        { value: 'approved', label: 'approved' },
        { value: 'pending', label: 'pending' },
      ]"
    />
  </FormField>
  <div class="words">
    <h3>Event mapping</h3>
    <p class="quiet small">
      Your event types’ own names always work. A postback without an event counts as
      {{ parts.of('event-type')[0]?.body.name }}.
    </p>
    <div v-for="(w, i) in body.eventWords" :key="i" class="row">
      <InputText v-model="w.word" class="mono-input word" :aria-label="`Event word ${i + 1}`" />
      <span class="quiet">means</span>
      <PickOne
        v-model="w.eventTypeId"
        class="means"
        :aria-label="`Event type of word ${i + 1}`"
        :options="[...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name }))]"
      />
      <Button variant="link" :aria-label="`Remove event word ${i + 1}`" @click="body.eventWords.splice(i, 1)">
        <X :size="15" />
      </Button>
      <span v-if="error(`eventWords.${i}.word`)" class="error small">{{
        error(`eventWords.${i}.word`)
      }}</span>
    </div>
    <Button
      variant="link"
      @click="body.eventWords.push({ word: '', eventTypeId: parts.of('event-type')[0]?.id ?? '' })"
    >
      <Plus :size="14" aria-hidden="true" /> Event word
    </Button>
  </div>
</template>
<style scoped src="./partForm.css"></style>
