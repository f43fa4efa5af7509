<script setup lang="ts">
/** The door: an e-mail address and a password. `enter` signs in and goes on; what it throws is shown. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { CircleAlert } from '@lucide/vue';
import { ref } from 'vue';
import FormField from './FormField.vue';
import SecretField from './SecretField.vue';
import TracheonMark from './TracheonMark.vue';

const props = defineProps<{
  title: string;
  says: string;
  /** About the password. */
  hint: string;
  enter: (email: string, password: string) => Promise<void>;
}>();
const email = ref('');
const password = ref('');
const failure = ref('');
const busy = ref(false);

async function signIn(): Promise<void> {
  if (busy.value) return;
  [busy.value, failure.value] = [true, ''];
  try {
    await props.enter(email.value, password.value);
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <main class="page">
    <form class="sheet box" @submit.prevent="signIn">
      <div class="row">
        <TracheonMark :size="34" />
        <h1>{{ title }}</h1>
      </div>
      <p class="quiet">{{ says }}</p>
      <FormField v-slot="{ id }" label="E-mail address"
        ><InputText :id="id" v-model="email" inputmode="email" autocomplete="username" required autofocus
      /></FormField>
      <FormField v-slot="{ id }" label="Password" :hint="hint">
        <SecretField :id="id" v-model="password" autocomplete="current-password" required />
      </FormField>
      <p v-if="failure" class="error row" role="alert">
        <CircleAlert :size="16" aria-hidden="true" /> {{ failure }}
      </p>
      <Button type="submit" :disabled="busy">{{ busy ? 'Signing in …' : 'Sign in' }}</Button>
    </form>
  </main>
</template>
<style scoped src="./doorBox.css"></style>
