<script setup lang="ts">
/** Shown at the start while the server or its database is away; goes on by itself when they are back. */
import { CircleAlert } from '@lucide/vue';
import { onBeforeUnmount, onMounted, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ApiError } from './api.ts';
import { useSession } from './session.ts';
import TracheonMark from '../ui/TracheonMark.vue';

const AGAIN_MS = 2000;
const session = useSession();
const route = useRoute();
const router = useRouter();
const words = ref('');
let timer: ReturnType<typeof setTimeout> | undefined;

const wanted = (): string => {
  const { to } = route.query;
  return typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/today';
};
async function look(): Promise<void> {
  try {
    await session.load();
    await router.replace(wanted());
  } catch (error) {
    if (error instanceof ApiError && error.code === 'not_signed_in')
      return void router.replace({ name: 'sign-in', query: { to: wanted() } });
    words.value = (error as Error).message;
    timer = setTimeout(() => void look(), AGAIN_MS);
  }
}
onMounted(look);
onBeforeUnmount(() => clearTimeout(timer));
</script>
<template>
  <main class="waiting">
    <section class="sheet pad stack" role="status">
      <div class="row"><TracheonMark :size="30" /> <strong>Tracheon</strong></div>
      <p class="error row"><CircleAlert :size="16" aria-hidden="true" /> {{ words || 'Connecting …' }}</p>
      <p class="quiet">Visitors are still redirected. This page opens by itself as soon as it can.</p>
    </section>
  </main>
</template>
<style scoped>
.waiting {
  display: grid;
  place-items: center;
  min-height: 100vh;
  padding: 12px;
}
section {
  max-width: 460px;
}
</style>
