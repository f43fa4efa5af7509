<script setup lang="ts">
import Button from 'primevue/button';
import Menu from 'primevue/menu';
import Toast from 'primevue/toast';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import StateBlock from '../ui/StateBlock.vue';
import TracheonMark from '../ui/TracheonMark.vue';
import { failure } from './failure.ts';
import { me, signOut, switchTo } from './me.ts';

const route = useRoute();
const bare = computed(() => route.meta.isOpen === true);
const places = [
  { to: '/offers', word: 'Offers' },
  { to: '/numbers', word: 'Numbers' },
  { to: '/conversions', word: 'Conversions' },
  { to: '/statements', word: 'Statements' },
  { to: '/postback', word: 'Postback' },
  { to: '/account', word: 'Account' },
];
const isAt = (to: string): boolean => route.path === to || route.path.startsWith(`${to}/`);
const menu = ref<InstanceType<typeof Menu>>();
const others = computed(() =>
  (me.value?.others ?? []).map((o) => ({
    label: `${o.partnerName} at ${o.deskName}`,
    command: () => void switchTo(o.id),
  })),
);
const again = (): void => location.reload();
</script>
<template>
  <RouterView v-if="bare" />
  <div v-else class="page">
    <a class="skip" href="#page">Skip to content</a>
    <header>
      <div class="who">
        <TracheonMark :size="26" />
        <p>
          <strong>{{ me?.desk.name }}</strong>
          <span class="quiet">Partner page of {{ me?.partner.name }}</span>
        </p>
        <span class="gap" />
        <Button
          v-if="others.length > 0"
          severity="secondary"
          aria-haspopup="menu"
          @click="menu?.toggle($event)"
          >Switch partner</Button
        >
        <Menu ref="menu" popup :model="others" />
        <Button severity="secondary" @click="signOut">Sign out</Button>
      </div>
      <nav aria-label="Main">
        <RouterLink
          v-for="p in places"
          :key="p.to"
          :to="p.to"
          :class="{ here: isAt(p.to) }"
          :aria-current="isAt(p.to) ? 'page' : undefined"
          >{{ p.word }}</RouterLink
        >
      </nav>
    </header>
    <main id="page" tabindex="-1">
      <StateBlock v-if="failure" class="sheet" state="failed" :words="failure" @again="again" />
      <RouterView v-else-if="me" :key="route.path" />
    </main>
  </div>
  <Toast position="bottom-right" />
</template>
<style scoped>
.page {
  max-width: 980px;
  margin: 0 auto;
  padding: 14px 16px 40px;
}
.who {
  display: flex;
  align-items: center;
  gap: 10px;
}
.who p {
  display: grid;
  line-height: 1.3;
}
.gap {
  flex: 1;
}
nav {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  margin: 12px 0 16px;
  border-bottom: 2px solid var(--ink);
}
nav a {
  padding: 6px 0;
  color: var(--quiet);
  text-decoration: none;
  font-weight: 600;
  border-bottom: 3px solid transparent;
  margin-bottom: -2px;
}
nav a.here {
  color: var(--ink);
  border-bottom-color: var(--action);
}
main:focus {
  outline: none;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 8px;
  top: 8px;
  background: var(--sheet);
  padding: 8px;
  z-index: 10;
}
@media print {
  header {
    display: none;
  }
}
</style>
