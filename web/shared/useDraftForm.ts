/**
 * A form that checks while typing against the same schema as the API, keeps its draft on this browser until it is
 * saved, and shows what the server has against a field beside that field.
 */
import { computed, reactive, ref, watch } from 'vue';
import type { z } from 'zod';
import { ApiError } from '../app/api.ts';

export function useDraftForm<T extends object>(schema: z.ZodType<T>, initial: NoInfer<T>, draftKey: string) {
  const store = `tracheon.draft.${draftKey}`;
  const kept = readDraft<T>(store);
  const body = reactive(structuredClone({ ...initial, ...(kept ?? {}) })) as T;
  const isDraft = ref(kept !== null);
  const touched = reactive(new Set<string>(kept ? Object.keys(kept) : []));
  const triedToSave = ref(false);
  const saving = ref(false);
  const serverErrors = ref<Record<string, string>>({});
  const failure = ref('');

  const parsed = computed(() => schema.safeParse(JSON.parse(JSON.stringify(body))));
  const errors = computed(() => {
    const found: Record<string, string> = {};
    if (!parsed.value.success)
      for (const issue of parsed.value.error.issues) found[issue.path.join('.')] ??= issue.message;
    return { ...found, ...serverErrors.value };
  });
  /** What to show beside a field: nothing before it was touched, unless saving was tried. */
  const error = (path: string): string | undefined => {
    const first = path.split('.')[0]!;
    return touched.has(first) || triedToSave.value ? errors.value[path] : undefined;
  };

  watch(
    () => JSON.stringify(body),
    (now, before) => {
      const [a, b] = [JSON.parse(now) as Record<string, unknown>, JSON.parse(before) as Record<string, unknown>];
      for (const key of Object.keys(a)) if (JSON.stringify(a[key]) !== JSON.stringify(b[key])) touched.add(key);
      serverErrors.value = {};
      failure.value = '';
      localStorage.setItem(store, now);
      isDraft.value = true;
    },
  );

  async function save(send: (value: T) => Promise<void>): Promise<boolean> {
    triedToSave.value = true;
    // A second click while the first is under way sends nothing.
    if (saving.value || !parsed.value.success) return false;
    saving.value = true;
    try {
      await send(JSON.parse(JSON.stringify(body)) as T);
      forget();
      return true;
    } catch (e) {
      const fields = e instanceof ApiError ? e.fields : [];
      serverErrors.value = Object.fromEntries(fields.map((f) => [f.path, f.message]));
      failure.value = (e as Error).message;
      return false;
    } finally {
      saving.value = false;
    }
  }
  function forget(): void {
    localStorage.removeItem(store);
    isDraft.value = false;
  }
  function discard(): void {
    Object.assign(body, structuredClone(initial));
    touched.clear();
    triedToSave.value = false;
    // The watcher writes once more for the reset itself.
    setTimeout(forget);
  }
  return { body, errors, error, failure, saving, isDraft, save, discard };
}

function readDraft<T>(store: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(store) ?? 'null') as T | null;
  } catch {
    return null;
  }
}
