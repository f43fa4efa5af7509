/**
 * A file that was uploaded and is not processed yet: its columns and what they mean, kept on the server at each pause, so
 * that a reload goes on with it.
 */
import { importSettings, type ImportDraft, type ImportSettings } from '@tracheon/core/contract';
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { ApiError, ask, uploadFile } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useRouterHere } from '../useRouterHere.ts';

/** A pause in typing. */
const KEEP_AFTER_MS = 600;

export function useFileDraft() {
  const parts = useParts();
  const route = useRoute();
  const router = useRouterHere();
  const networkId = ref('');
  const draft = ref<ImportDraft | null>(null);
  const failure = ref('');
  const busy = ref('');
  const settings = reactive<ImportSettings>({
    networkId: '',
    targets: [],
    decimalMark: '',
    zone: '',
    dates: 'ymd',
  });
  const networks = computed(() => parts.of('network').map((n) => ({ value: n.id, label: n.body.name })));
  watch(
    networks,
    (all) => {
      if (networkId.value === '' && all.length === 1) networkId.value = all[0]!.value;
    },
    { immediate: true },
  );
  watch(networkId, (id) => (settings.networkId = id));
  function take(next: ImportDraft): void {
    draft.value = next;
    Object.assign(settings, { ...next.settings, networkId: next.settings.networkId || networkId.value });
    networkId.value = settings.networkId;
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  let saving = Promise.resolve();
  /** What takes a while: one at a time, with what went wrong. */
  async function during(what: string, work: () => Promise<void>): Promise<void> {
    if (busy.value !== '') return;
    busy.value = what;
    failure.value = '';
    // What is done sends the mapping itself; once it has begun, the file is no draft any more that could keep one.
    clearTimeout(timer);
    await saving;
    try {
      await work();
    } catch (error) {
      failure.value =
        error instanceof ApiError && error.fields[0] ? error.fields[0].message : (error as Error).message;
    } finally {
      busy.value = '';
    }
  }
  const choose = (file: File): Promise<void> =>
    during('Reading the file …', async () => {
      take(await uploadFile('uploadImport', { name: file.name, network: networkId.value }, file));
      router.replace({ query: { draft: draft.value!.id } });
    });
  const begun = String(route.query.draft ?? '');
  if (begun !== '')
    void ask('importDraft', { id: begun }).then(
      (found) => found.state === 'draft' && take(found),
      () => router.replace({ query: {} }),
    );

  const problems = computed(() => importSettings.safeParse(settings).error?.issues ?? []);
  watch(settings, () => {
    clearTimeout(timer);
    const id = draft.value?.id;
    if (!id || problems.value.length > 0) return;
    timer = setTimeout(() => {
      saving = ask('mapImport', { id, body: { ...settings } }).then(
        () => undefined,
        (error: unknown) => void (failure.value = `Mapping not saved: ${(error as Error).message}`),
      );
    }, KEEP_AFTER_MS);
  });
  onBeforeUnmount(() => clearTimeout(timer));
  /** It goes on without us. */
  function leave(): void {
    clearTimeout(timer);
    draft.value = null;
    router.replace({ query: {} });
  }
  return { networkId, networks, draft, settings, problems, failure, busy, choose, during, leave };
}
export type FileDraft = ReturnType<typeof useFileDraft>;
