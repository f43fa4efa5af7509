<script setup lang="ts">
import { useRoute, useRouter } from 'vue-router';
import SignInBox from '../ui/SignInBox.vue';
import { signIn } from './me.ts';

const router = useRouter();
const route = useRoute();
async function enter(email: string, password: string): Promise<void> {
  await signIn(email, password);
  const { to } = route.query;
  await router.push(typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/offers');
}
</script>
<template>
  <SignInBox
    title="Partner page"
    says="Your links, your numbers and your statements."
    hint="If you forgot it, ask whoever invited you for a new link."
    :enter="enter"
  />
</template>
