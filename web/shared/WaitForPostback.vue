<script setup lang="ts">
/** Waits for the next postback of a network, and opens it: while a member tests at the network's own screen. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { ask } from '../app/api.ts';
import { useParts } from '../app/parts.ts';
import { useSession } from '../app/session.ts';
import { onNews } from '../app/stream.ts';
import { postbackUrl } from '@tracheon/core/links';
import CopyButton from '../ui/CopyButton.vue';
import LinkText from '../ui/LinkText.vue';
import PickOne from '../ui/PickOne.vue';
import SideSheet from '../ui/SideSheet.vue';

const props = defineProps<{ networkId?: string }>();
const emit = defineEmits<{ caught: [id: string] }>();
const open = defineModel<boolean>('open', { required: true });
const LOOK_MS = 2000;
const parts = useParts();
const session = useSession();
const chosen = ref(props.networkId ?? '');
/** The newest that was there before; what comes now has a later ID, whatever this machine's clock says. */
let before: string | null = null;
const failure = ref('');
const options = computed(() => [
  { value: '', label: 'any network' },
  ...parts.of('network').map((n) => ({ value: n.id, label: n.body.name })),
]);
const network = computed(() => parts.one('network', chosen.value));
const url = computed(() =>
  network.value ? postbackUrl(session.me?.trackingOrigin ?? '', network.value.key, network.value.body) : '',
);
let isCaught = false;
async function look(): Promise<void> {
  if (isCaught) return;
  try {
    const { rows } = await ask('listPostbacksIn', { query: { network: chosen.value, limit: 50 } });
    failure.value = '';
    if (before === null) return void (before = rows[0]?.id ?? '');
    const since = before;
    // The first that came, once its outcome is known.
    const first = rows.filter((r) => r.id > since && r.outcome !== 'queued').at(-1);
    if (!first || isCaught) return;
    isCaught = true;
    open.value = false;
    emit('caught', first.id);
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
onNews(['postbacks-in'], look, 300);
let timer: ReturnType<typeof setInterval> | undefined;
onMounted(() => {
  void look();
  timer = setInterval(() => void look(), LOOK_MS);
});
// Another network has another newest one.
watch(chosen, () => {
  before = null;
  void look();
});
onBeforeUnmount(() => clearInterval(timer));
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Wait for a postback"
    says="Send a test postback from the network’s own screen. Tracheon opens the first one that arrives and explains it."
  >
    <div class="stack">
      <div class="row">
        <span>From</span>
        <PickOne v-model="chosen" aria-label="Network" :options="options" />
      </div>
      <template v-if="url">
        <LinkText :link="url" expander="they" />
        <CopyButton :text="url" label="Copy postback URL" />
      </template>
      <ProgressBar mode="indeterminate" class="bar" aria-label="Waiting" />
      <p role="status">Waiting for a postback …</p>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <Button severity="secondary" class="stop" @click="open = false">Stop waiting</Button>
    </div>
  </SideSheet>
</template>
<style scoped>
.bar {
  height: 6px;
}
.stop {
  justify-self: start;
}
</style>
