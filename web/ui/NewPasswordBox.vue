<script setup lang="ts">
/** A new password by a one-time link. The link's secret stands behind the hash: no server sees it but in the request of `save`. */
import Button from 'primevue/button';
import { CircleAlert } from '@lucide/vue';
import { newPasswordInput } from '@tracheon/core/contract';
import { ref } from 'vue';
import FormField from './FormField.vue';
import SecretField from './SecretField.vue';
import TracheonMark from './TracheonMark.vue';

const props = defineProps<{
  title: string;
  /** Once it is saved. */
  done: string;
  save: (body: { secret: string; password: string }) => Promise<unknown>;
}>();
defineEmits<{ signIn: [] }>();
const secret = location.hash.slice(1);
const password = ref('');
const failure = ref(secret === '' ? 'This link is not complete. Copy the whole link.' : '');
const error = ref('');
const busy = ref(false);
const isDone = ref(false);

async function savePassword(): Promise<void> {
  const parsed = newPasswordInput.safeParse({ secret, password: password.value });
  error.value = parsed.error?.issues.find((i) => i.path[0] === 'password')?.message ?? '';
  if (!parsed.success || busy.value) return;
  [busy.value, failure.value] = [true, ''];
  try {
    await props.save(parsed.data);
    isDone.value = true;
    history.replaceState(null, '', location.pathname);
  } catch (failed) {
    failure.value = (failed as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <main class="page">
    <form class="sheet box" @submit.prevent="savePassword">
      <div class="row">
        <TracheonMark :size="34" />
        <h1>{{ title }}</h1>
      </div>
      <template v-if="isDone">
        <p role="status">{{ done }}</p>
        <Button @click="$emit('signIn')">Sign in</Button>
      </template>
      <template v-else>
        <FormField
          v-slot="{ id, invalid, described }"
          label="New password"
          hint="At least 12 characters, and not one that is easy to guess."
          :error="error"
        >
          <SecretField
            :id="id"
            v-model="password"
            autocomplete="new-password"
            :invalid="invalid"
            :aria-describedby="described"
          />
        </FormField>
        <p v-if="failure" class="error row" role="alert">
          <CircleAlert :size="16" aria-hidden="true" /> {{ failure }}
        </p>
        <Button type="submit" :disabled="busy || secret === ''">{{
          busy ? 'Saving …' : 'Save password'
        }}</Button>
      </template>
    </form>
  </main>
</template>
<style scoped src="./doorBox.css"></style>
