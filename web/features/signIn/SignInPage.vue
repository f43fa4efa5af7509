<script setup lang="ts">
import { useRoute, useRouter } from 'vue-router';
import { useSession } from '../../app/session.ts';
import SignInBox from '../../ui/SignInBox.vue';

const session = useSession();
const router = useRouter();
const route = useRoute();
async function enter(email: string, password: string): Promise<void> {
  await session.signIn(email, password);
  const { to } = route.query;
  await router.push(typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/today');
}
</script>
<template>
  <SignInBox
    title="Tracheon"
    says="Every ID that goes out comes back, or you see where it got lost."
    hint="Tracheon printed the first password when it started."
    :enter="enter"
  />
</template>
