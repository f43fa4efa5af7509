/**
 * A form that checks while typing against the same schema as the API, keeps its draft on this browser until it is
 * saved, and shows what the server has against a field beside that field.
 *
 * A record is edited from the version at which the form (or its draft) was begun. When somebody else has saved it
 * meanwhile, nothing is overwritten: `conflict` holds their record, and the member takes theirs or saves over it.
 */
import { computed, reactive, ref, shallowRef, watch, type Ref } from 'vue';
import type { z } from 'zod';
import type { PartRecord } from '@tracheon/core/contract';
import { ApiError } from '../app/api.ts';
import { keptDraft } from './keptDraft.ts';

export interface EditedRecord<T> {
  version: number;
  body: T;
}

interface Meant<T> {
  value: T;
  /** The path of a field in the form, from its path in the value. */
  pathOf: (path: string) => string;
}

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

function changedKeys(now: string, before: string): string[] {
  const [a, b] = [now, before].map((text) => JSON.parse(text) as Record<string, unknown>);
  return Object.keys(a!).filter((key) => JSON.stringify(a![key]) !== JSON.stringify(b![key]));
}

const fieldMessages = (e: unknown, pathOf: (path: string) => string): Record<string, string> =>
  Object.fromEntries((e instanceof ApiError ? e.fields : []).map((f) => [pathOf(f.path), f.message]));

/** The first message for each field, by its path. */
function messagesOf(
  parsed: z.ZodSafeParseResult<unknown>,
  pathOf: (path: string) => string,
): Record<string, string> {
  const found: Record<string, string> = {};
  for (const issue of parsed.error?.issues ?? []) found[pathOf(issue.path.join('.'))] ??= issue.message;
  return found;
}

/** What was typed, checked as it is typed; the server's messages beside ours. */
function useChecked<T extends object>(
  schema: z.ZodType<T>,
  body: T,
  meant: (value: T) => Meant<T>,
  serverErrors: Ref<Record<string, string>>,
) {
  const checked = computed(() => meant(copy(body)));
  const parsed = computed(() => schema.safeParse(checked.value.value));
  const errors = computed<Record<string, string>>(() => ({
    ...messagesOf(parsed.value, checked.value.pathOf),
    ...serverErrors.value,
  }));
  return { checked, parsed, errors };
}

export function useDraftForm<T extends object>(
  schema: z.ZodType<T>,
  initial: NoInfer<T>,
  draftKey: string,
  record?: EditedRecord<NoInfer<T>>,
  /** What is checked and sent of what was typed. */
  meant: (value: T) => Meant<T> = (value) => ({ value, pathOf: (path) => path }),
) {
  const draft = keptDraft<T>(draftKey);
  const kept = draft.read();
  const base = shallowRef<T>(copy(record?.body ?? initial));
  const version = ref(kept?.version ?? record?.version ?? 0);
  const body = reactive({ ...copy(base.value), ...(kept?.body ?? {}) }) as T;
  const isDraft = ref(kept !== null);
  const touched = reactive(new Set<string>(kept ? Object.keys(kept.body) : []));
  const triedToSave = ref(false);
  const saving = ref(false);
  const serverErrors = ref<Record<string, string>>({});
  const failure = ref('');
  const conflict = shallowRef<PartRecord | null>(null);

  const { checked, parsed, errors } = useChecked(schema, body, meant, serverErrors);
  /** What to show beside a field: nothing before it was touched, unless saving was tried. */
  const error = (path: string): string | undefined => {
    const first = path.split('.')[0]!;
    return touched.has(first) || triedToSave.value ? errors.value[path] : undefined;
  };

  watch(
    () => JSON.stringify(body),
    (now, before) => {
      for (const key of changedKeys(now, before)) touched.add(key);
      serverErrors.value = {};
      failure.value = '';
      if (now === JSON.stringify({ ...copy(base.value) })) return forget();
      draft.write({ version: version.value, body: JSON.parse(now) as T });
      isDraft.value = true;
    },
  );

  /** Sends the checked value with the version it was begun from; true once it is saved. Editing goes on from the record that `send` returns. */
  async function save(
    send: (value: T, version: number) => Promise<EditedRecord<unknown> | void>,
  ): Promise<boolean> {
    triedToSave.value = true;
    // A second click while the first is under way sends nothing.
    if (saving.value) return false;
    if (!parsed.value.success) {
      failure.value = 'Not saved. Correct the marked fields first.';
      return false;
    }
    saving.value = true;
    failure.value = '';
    try {
      const sent = await send(checked.value.value, version.value);
      if (sent) version.value = sent.version;
      base.value = copy(body) as T;
      forget();
      return true;
    } catch (e) {
      if (e instanceof ApiError && e.current) conflict.value = e.current;
      serverErrors.value = fieldMessages(e, checked.value.pathOf);
      failure.value = (e as Error).message;
      return false;
    } finally {
      saving.value = false;
    }
  }
  function forget(): void {
    draft.forget();
    isDraft.value = false;
  }
  function begin(from: T): void {
    base.value = copy(from);
    Object.assign(body, copy(from));
    touched.clear();
    triedToSave.value = false;
    conflict.value = null;
    failure.value = '';
    serverErrors.value = {};
    forget();
  }
  /** Back to the record as it was when the form was opened. */
  const discard = (): void => begin(base.value);
  function takeTheirs(): void {
    if (!conflict.value) return;
    version.value = conflict.value.version;
    begin(conflict.value.body as T);
  }
  /** The next save replaces their version; nothing is sent yet. */
  function keepMine(): void {
    if (!conflict.value) return;
    version.value = conflict.value.version;
    conflict.value = null;
    failure.value = '';
  }
  return { body, errors, error, failure, saving, isDraft, conflict, save, discard, takeTheirs, keepMine };
}
export type DraftForm = Pick<
  ReturnType<typeof useDraftForm>,
  'failure' | 'saving' | 'isDraft' | 'conflict' | 'discard' | 'takeTheirs' | 'keepMine'
> & { body: object };
