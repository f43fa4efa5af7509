<script setup lang="ts">
/** What has to stand on a landing page, each to copy, and what the last look at the page found of it. */
import Button from 'primevue/button';
import type { PageCheck, PartRecord } from '@tracheon/core/contract';
import { buttonLink, pageScriptTag } from '@tracheon/core/links';
import { Check, CircleAlert, CircleDashed, ScanSearch } from '@lucide/vue';
import { computed, onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { moment } from '../../ui/format.ts';
import { pageRemarks } from '@tracheon/core/links';

const props = defineProps<{ part: PartRecord<'landing-page'> }>();
const session = useSession();
const origin = computed(() => session.me?.trackingOrigin ?? '');
const links = computed(() =>
  Array.from({ length: props.part.body.buttons }, (_, i) => ({
    n: i + 1,
    link: buttonLink(origin.value, props.part.key, i + 1),
    seen: check.value?.buttons.find((b) => b.n === i + 1),
  })),
);
const check = ref<PageCheck | null>(null);
const looking = ref(false);
const failure = ref('');

async function last(): Promise<void> {
  try {
    check.value = (await ask('lastPageCheck', { id: props.part.id })).check;
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
async function look(): Promise<void> {
  if (looking.value) return;
  looking.value = true;
  failure.value = '';
  try {
    check.value = await ask('checkPage', { id: props.part.id });
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    looking.value = false;
  }
}
onMounted(last);
const remarks = computed(() =>
  check.value ? pageRemarks(check.value, origin.value.startsWith('https:')) : [],
);
const good = computed(() => check.value?.trouble === 'ok' && remarks.value.every((r) => r.weight !== 'bad'));
/** Without tokens: nobody's values are sent along. */
const plainAddress = computed(() => props.part.body.url.replace(/\{[^}]*\}/g, ''));
</script>
<template>
  <section class="on-page" aria-label="Page code">
    <div class="row spread">
      <strong>Page code</strong>
      <span class="row">
        <a class="button" :href="plainAddress" target="_blank" rel="noopener noreferrer">Open page</a>
        <Button severity="secondary" v-if="session.canEdit" :disabled="looking" @click="look">
          <ScanSearch :size="15" aria-hidden="true" /> {{ looking ? 'Checking …' : 'Check page' }}
        </Button>
      </span>
    </div>
    <ul>
      <li v-for="l in links" :key="l.n">
        <component
          :is="!check || check.trouble !== 'ok' ? CircleDashed : l.seen?.found ? Check : CircleAlert"
          :size="15"
          :class="check?.trouble === 'ok' && !l.seen?.found ? 'error' : 'quiet'"
          :aria-label="
            !check || check.trouble !== 'ok'
              ? 'not checked yet'
              : l.seen?.found
                ? 'found on the page'
                : 'not found on the page'
          "
        />
        <span>Button {{ l.n }}</span>
        <code>{{ l.link }}</code>
        <CopyButton :text="l.link" label="Copy" :hint="`Link of button ${l.n}`" />
      </li>
      <li>
        <component
          :is="!check || check.trouble !== 'ok' ? CircleDashed : check.script ? Check : CircleDashed"
          :size="15"
          class="quiet"
          :aria-label="check?.script ? 'found on the page' : 'not found on the page'"
        />
        <span>Script</span>
        <code>{{ pageScriptTag(origin) }}</code>
        <CopyButton :text="pageScriptTag(origin)" label="Copy" hint="Script for the page’s head" />
      </li>
    </ul>
    <p class="quiet small">
      Set each link as the target of its button. Put the script in the page’s head: it passes the click ID to
      the buttons. Without the script, Tracheon uses a cookie if the browser allows it.
    </p>
    <p v-if="failure" class="error small" role="alert">{{ failure }}</p>
    <div v-else-if="check" class="found" aria-live="polite">
      <p class="small">
        <strong>{{ good ? 'Page is correct' : 'Page needs fixing' }}</strong>
        <span class="quiet">
          · checked {{ moment(check.at, session.desk.zone) }} · {{ check.tookMs }} ms ·
          {{ Math.max(1, Math.round(check.bytes / 1024)) }} KiB</span
        >
      </p>
      <ul class="remarks">
        <li v-for="r in remarks" :key="r.words" :class="r.weight === 'bad' ? 'error' : ''">
          <CircleAlert v-if="r.weight === 'bad'" :size="14" aria-hidden="true" />
          <CircleDashed v-else :size="14" aria-hidden="true" />
          {{ r.words }}
        </li>
      </ul>
    </div>
    <p v-else class="quiet small">The page has not been checked yet.</p>
  </section>
</template>
<style scoped>
.on-page {
  background: var(--tint);
  border-radius: 6px;
  padding: 10px 12px;
  margin-bottom: 12px;
  display: grid;
  gap: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
li {
  display: grid;
  grid-template-columns: 16px 62px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: center;
}
.remarks li {
  grid-template-columns: 16px minmax(0, 1fr);
  font-size: 12px;
}
code {
  overflow-wrap: anywhere;
  font-size: 12px;
}
.small {
  font-size: 12px;
  margin: 0;
}
</style>
