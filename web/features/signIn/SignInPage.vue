<script setup lang="ts">
import InputText from 'primevue/inputtext';
import SecretField from '../../ui/SecretField.vue';
import Button from 'primevue/button';
import { CircleAlert } from '@lucide/vue';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import TracheonMark from '../../ui/TracheonMark.vue';

const session = useSession();
const router = useRouter();
const route = useRoute();
const email = ref('');
const password = ref('');
const failure = ref('');
const busy = ref(false);

async function signIn(): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    await session.signIn(email.value, password.value);
    const to =
      typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/today';
    await router.push(to);
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
        <h1>Tracheon</h1>
      </div>
      <p class="quiet">Every ID that goes out comes back, or you see where it got lost.</p>
      <FormField v-slot="{ id }" label="E-mail address"
        ><InputText :id="id" v-model="email" inputmode="email" autocomplete="username" required autofocus
      /></FormField>
      <FormField v-slot="{ id }" label="Password" hint="Tracheon printed the first password when it started.">
        <SecretField :id="id" v-model="password" autocomplete="current-password" required />
      </FormField>
      <p v-if="failure" class="error row" role="alert">
        <CircleAlert :size="16" aria-hidden="true" /> {{ failure }}
      </p>
      <Button type="submit" :disabled="busy">{{ busy ? 'Signing in …' : 'Sign in' }}</Button>
    </form>
  </main>
</template>
<style scoped src="./signIn.css"></style>
