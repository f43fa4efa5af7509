<script setup lang="ts">
/** Every version of a record: who, when, what differs from the one before, in words; any can be brought back. */
import Button from 'primevue/button';
import type { PartRecord, PartVersion } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { ask } from '../app/api.ts';
import { useParts } from '../app/parts.ts';
import { useSession } from '../app/session.ts';
import { differences } from './differences.ts';
import { moment } from '../ui/format.ts';
import SideSheet from '../ui/SideSheet.vue';
import StateBlock from '../ui/StateBlock.vue';

const props = defineProps<{ part: PartRecord }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ restored: [] }>();
const parts = useParts();
const session = useSession();
const toast = useToast();
const versions = ref<PartVersion[] | null>(null);
const failure = ref('');

async function load(): Promise<void> {
  failure.value = '';
  try {
    versions.value = await ask('listVersions', { kind: props.part.kind, id: props.part.id });
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
watch(() => props.part.version, load, { immediate: true });
const rows = computed(() =>
  (versions.value ?? []).map((v, i, all) => {
    const before = all[i + 1];
    return {
      ...v,
      changes: before ? differences(before.body, v.body, (id) => parts.byId.get(id)?.body.name) : [],
      state: before && before.state !== v.state ? `${before.state} → ${v.state}` : '',
      isFirst: before === undefined,
    };
  }),
);
async function restore(to: number): Promise<void> {
  const newest = versions.value![0]!.version;
  try {
    await ask('restoreVersion', { kind: props.part.kind, id: props.part.id, body: { to, version: newest } });
    await Promise.all([parts.load(), load()]);
    emit('restored');
    toast.add({
      severity: 'secondary',
      summary: `Version ${to} is back`,
      detail: 'Saved as a new version.',
      life: 4000,
    });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
    await load();
  }
}
</script>
<template>
  <SideSheet v-model:open="open" :title="`History of ${part.body.name}`" says="All versions, newest first.">
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="versions === null" state="loading" />
    <ol v-else>
      <li v-for="(v, i) in rows" :key="v.version">
        <div class="row spread">
          <span
            ><strong>Version {{ v.version }}</strong>
            <span class="quiet">
              · {{ moment(v.changedAt, session.desk.zone) }} · {{ v.changedBy || 'Tracheon' }}</span
            ></span
          >
          <Button severity="secondary" v-if="i > 0 && session.canEdit" @click="restore(v.version)">
            Restore
          </Button>
        </div>
        <p v-if="v.isFirst" class="quiet">Created.</p>
        <p v-if="v.state" class="quiet">{{ v.state }}</p>
        <dl v-if="v.changes.length">
          <template v-for="c in v.changes" :key="c.field">
            <dt>{{ c.field }}</dt>
            <dd><del>{{ c.mine }}</del> → <ins>{{ c.theirs }}</ins></dd>
          </template>
        </dl>
      </li>
    </ol>
  </SideSheet>
</template>
<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
li {
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
}
dl {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 2px 10px;
  margin: 4px 0 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
del {
  color: var(--quiet);
}
ins {
  text-decoration: none;
  font-weight: 600;
}
p {
  margin: 2px 0;
}
</style>
