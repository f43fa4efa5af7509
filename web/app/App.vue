<script setup lang="ts">
import Button from 'primevue/button';
import ConfirmDialog from 'primevue/confirmdialog';
import Toast from 'primevue/toast';
import Menu from 'primevue/menu';
import { computed, defineAsyncComponent, provide, ref, watch, type Component } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import {
  ArrowLeftRight,
  ChartColumn,
  Coins,
  Eye,
  FlaskConical,
  Layers,
  LibraryBig,
  Puzzle,
  Search,
  Sunrise,
  Waypoints,
} from '@lucide/vue';
import PaletteDialog from '../features/palette/PaletteDialog.vue';
import KeysDialog from '../features/palette/KeysDialog.vue';
import { openPalette } from '../features/palette/palette.ts';
import { ask } from './api.ts';
import { hasBrowserNotices } from './browserNotices.ts';
import { useParts } from './parts.ts';
import { providePartForms } from '../shared/partForms.ts';
import { keepDraftsOf } from '../shared/keptDraft.ts';
import { useSession } from './session.ts';
import { memberTableLayouts } from './tableLayouts.ts';
import { tableLayoutsKey } from '../ui/tableColumns.ts';
import { onNews, openStream } from './stream.ts';
import { notLoaded } from './notLoaded.ts';
import HealthBar from './HealthBar.vue';
import StateBlock from '../ui/StateBlock.vue';
import TracheonMark from '../ui/TracheonMark.vue';

const session = useSession();
const parts = useParts();
provide(tableLayoutsKey, memberTableLayouts(session));
const route = useRoute();
const router = useRouter();
const part = (load: () => Promise<Component>): Component => defineAsyncComponent(load as never);
providePartForms({
  forms: {
    network: part(() => import('../features/parts/NetworkForm.vue')),
    source: part(() => import('../features/parts/SourceForm.vue')),
    'landing-page': part(() => import('../features/parts/LandingPageForm.vue')),
  },
  templateChoice: part(() => import('../features/parts/TemplateChoice.vue')),
});
/** `wide`: work for a wide screen; on a phone the search leads there. */
const rail = [
  { to: '/today', word: 'Today', icon: Sunrise },
  { to: '/set-up', word: 'Set up', icon: Waypoints, wide: true },
  { to: '/campaigns', word: 'Campaigns', icon: Layers },
  { to: '/numbers', word: 'Numbers', icon: ChartColumn },
  { to: '/parts', word: 'Parts', icon: Puzzle, wide: true },
  { to: '/conversions', word: 'Conversions', icon: ArrowLeftRight },
  { to: '/money', word: 'Money', icon: Coins },
  { to: '/watches', word: 'Watches', icon: Eye },
  { to: '/try', word: 'Try out', icon: FlaskConical, wide: true },
];
const bare = computed(
  () => ['sign-in', 'new-password', 'waiting'].includes(String(route.name)) || !session.me,
);
/** In the rail only where there is more than one. */
const deskMenu = ref<InstanceType<typeof Menu>>();
const otherDesks = computed(() =>
  (session.me?.desks ?? [])
    .filter((d) => d.id !== session.desk.id)
    .map((d) => ({ label: d.name, command: () => void session.switchDesk(d.id) })),
);
const initials = computed(() =>
  (session.me?.member.name ?? '')
    .split(/\s+/)
    .map((w) => w[0] ?? '')
    .join('')
    .slice(0, 2)
    .toUpperCase(),
);
watch(
  () => session.me?.desk.id,
  (id) => {
    if (!id) return;
    keepDraftsOf(id);
    openStream();
    void parts.load();
    void countWaiting();
  },
  { immediate: true },
);
onNews(['parts'], () => parts.load());
/** What waits under Watches. A server that is away is told of elsewhere. */
const waiting = ref({ unread: 0, asked: 0 });
const countWaiting = async (): Promise<void> => {
  if (!session.me) return;
  waiting.value = await ask('noticeCount').catch(() => waiting.value);
  // What can't be asked now is shown with the next news.
  if (hasBrowserNotices())
    await import('../features/watches/showNotices.ts')
      .then((m) => m.showNotices(session))
      .catch(() => undefined);
};
onNews(['watches'], () => void countWaiting());
const mark = computed(() => {
  const { unread, asked } = waiting.value;
  const count = Math.max(unread, asked);
  return count === 0 ? null : { count, says: `${unread} unread, ${asked} to decide` };
});
/** The page begins anew: a browser doesn't ask twice for a file that failed. */
const openAnew = (): void => location.assign(notLoaded.value);
const isAt = (to: string): boolean => route.path === to || route.path.startsWith(`${to}/`);
</script>

<template>
  <RouterView v-if="bare" />
  <div v-else class="shell">
    <a class="skip" href="#page">Skip to content</a>
    <nav class="rail" aria-label="Main">
      <RouterLink to="/today" class="mark" aria-label="Tracheon, to Today">
        <TracheonMark :size="28" />
      </RouterLink>
      <RouterLink
        v-for="item in rail"
        :key="item.to"
        :to="item.to"
        class="place"
        :class="{ here: isAt(item.to), 'wide-only': item.wide }"
        :aria-current="isAt(item.to) ? 'page' : undefined"
      >
        <component :is="item.icon" :size="20" :stroke-width="1.7" aria-hidden="true" />
        {{ item.word }}
        <span v-if="item.to === '/watches' && mark" class="count" :title="mark.says">{{
          mark.count > 99 ? '99+' : mark.count
        }}</span>
      </RouterLink>
      <span class="gap" />
      <Button
        v-if="otherDesks.length > 0"
        severity="secondary"
        class="place desk"
        aria-haspopup="menu"
        :title="`Desk: ${session.desk.name}. Switch to another desk.`"
        @click="deskMenu?.toggle($event)"
      >
        <LibraryBig :size="20" :stroke-width="1.7" aria-hidden="true" />
        <span class="deskName">{{ session.desk.name }}</span>
      </Button>
      <Menu ref="deskMenu" popup :model="otherDesks" />
      <Button severity="secondary" class="place" aria-keyshortcuts="Control+K" @click="openPalette()">
        <Search :size="20" :stroke-width="1.7" aria-hidden="true" />
        Search <kbd class="wide-only">Ctrl K</kbd>
      </Button>
      <Button
        severity="secondary"
        class="place"
        :class="{ here: isAt('/settings') }"
        :title="session.me?.member.name"
        @click="router.push('/settings')"
      >
        <strong>{{ initials }}</strong> Settings
      </Button>
    </nav>
    <main id="page" tabindex="-1">
      <HealthBar />
      <StateBlock
        v-if="notLoaded"
        class="sheet"
        state="failed"
        words="Tracheon couldn’t load this screen. Check that it is running, then try again."
        @again="openAnew"
      />
      <RouterView :key="(route.meta.staysFor as string | undefined) ?? route.path" />
    </main>
    <PaletteDialog />
    <KeysDialog />
  </div>
  <Toast position="bottom-right" />
  <ConfirmDialog />
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  min-height: 100vh;
}
.rail {
  position: sticky;
  top: 0;
  height: 100vh;
  border-right: 1px solid var(--hairline);
  display: flex;
  flex-direction: column;
  padding: 10px 0;
}
.mark {
  color: var(--ink);
  display: grid;
  place-items: center;
  height: 38px;
  margin-bottom: 8px;
}
.place {
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 3px;
  min-height: 52px;
  padding: 6px 2px;
  font-size: 11.5px;
  font-weight: 500;
  color: var(--quiet);
  text-decoration: none;
  border: 0;
  border-left: 3px solid transparent;
  border-right: 3px solid transparent;
  border-radius: 0;
  background: none;
}
.place:hover {
  color: var(--ink);
}
.place.here {
  background: var(--tint);
  border-left-color: var(--ink);
  color: var(--ink);
  font-weight: 700;
}
.place {
  position: relative;
}
.count {
  position: absolute;
  top: 4px;
  right: 10px;
  min-width: 17px;
  padding: 0 4px;
  border-radius: 9px;
  background: var(--ink);
  color: var(--ground);
  font-size: 10.5px;
  font-weight: 700;
  line-height: 17px;
  text-align: center;
}
.deskName {
  max-width: 68px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.gap {
  flex: 1;
}
main {
  padding: 16px 22px 32px;
  min-width: 0;
  max-width: 1400px;
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
@media (max-width: 640px) {
  .wide-only {
    display: none;
  }
  .shell {
    grid-template-columns: minmax(0, 1fr);
    padding-bottom: 60px;
  }
  .rail {
    position: fixed;
    inset: auto 0 0 0;
    height: 58px;
    flex-direction: row;
    border-right: 0;
    border-top: 1px solid var(--hairline);
    background: var(--ground);
    padding: 0;
    z-index: 5;
  }
  .rail .mark,
  .gap {
    display: none;
  }
  /* Settings lists the desks and switches between them; a ninth word would touch the others. */
  .place.desk {
    display: none;
  }
  /* Each is as wide as its word, and they share what is left: eight words fit beside each other. */
  .place {
    flex: 1 1 auto;
    min-width: 0;
    font-size: 10px;
    border: 0;
    border-top: 3px solid transparent;
  }
  .place.here {
    border-top-color: var(--ink);
  }
  main {
    padding: 12px;
  }
}
</style>
