/**
 * A form that checks while typing against the same schema as the API, keeps its draft on this browser until it is
 * saved, and shows what the server has against a field beside that field.
 *
 * A record is edited from the version at which the form (or its draft) was begun. When another member has saved it
 * meanwhile, nothing is overwritten: `conflict` holds their record, and the member takes theirs or saves over it.
 */
import { reactive, ref, shallowRef, watch } from 'vue';
import type { z } from 'zod';
import type { StoredRecord } from '@tracheon/core/contract';
import { ApiError } from '../app/api.ts';
import { keptDraft } from './keptDraft.ts';
import { copy, fieldMessages, useChecked, type Meant } from './useChecked.ts';

export interface EditedRecord<T> {
  version: number;
  body: T;
}

function changedKeys(now: string, before: string): string[] {
  const [a, b] = [now, before].map((text) => JSON.parse(text) as Record<string, unknown>);
  return Object.keys(a!).filter((key) => JSON.stringify(a![key]) !== JSON.stringify(b![key]));
}

/** What is typed, from the draft of this browser, else from the record; which fields were touched; and the draft. */
function useDraft<T extends object>(initial: T, draftKey: string, record?: EditedRecord<T>) {
  const draft = keptDraft<T>(draftKey);
  const kept = draft.read();
  const base = shallowRef<T>(copy(record?.body ?? initial));
  const version = ref(kept?.version ?? record?.version ?? 0);
  const body = reactive({ ...copy(base.value), ...(kept?.body ?? {}) }) as T;
  const isDraft = ref(kept !== null);
  const touched = reactive(new Set<string>(kept ? Object.keys(kept.body) : []));
  function forget(): void {
    draft.forget();
    isDraft.value = false;
  }
  /** `changed` is called for each change that a member makes. */
  function keep(changed: () => void): void {
    watch(
      () => JSON.stringify(body),
      (now, before) => {
        for (const key of changedKeys(now, before)) touched.add(key);
        changed();
        if (now === JSON.stringify({ ...copy(base.value) })) return forget();
        draft.write({ version: version.value, body: JSON.parse(now) as T });
        isDraft.value = true;
      },
    );
  }
  function begin(from: T): void {
    base.value = copy(from);
    Object.assign(body, copy(from));
    touched.clear();
    forget();
  }
  /** What is there now is what was saved. */
  function settle(saved: EditedRecord<unknown> | void): void {
    if (saved) version.value = saved.version;
    base.value = copy(body);
    forget();
  }
  return { body, base, version, isDraft, touched, keep, begin, settle };
}

export function useDraftForm<T extends object>(
  schema: z.ZodType<T>,
  initial: NoInfer<T>,
  draftKey: string,
  record?: EditedRecord<NoInfer<T>>,
  meant: (value: T) => Meant<T> = (value) => ({ value, pathOf: (path) => path }),
) {
  const { body, base, version, isDraft, touched, keep, begin, settle } = useDraft<T>(
    initial,
    draftKey,
    record,
  );
  const triedToSave = ref(false);
  const saving = ref(false);
  const serverErrors = ref<Record<string, string>>({});
  const failure = ref('');
  const conflict = shallowRef<StoredRecord | null>(null);
  const { checked, errors, isRight, resolver } = useChecked(schema, body, meant, serverErrors);
  /** What to show beside a field: nothing before it was touched, unless saving was tried. */
  const error = (path: string): string | undefined =>
    touched.has(path.split('.')[0]!) || triedToSave.value ? errors.value[path] : undefined;
  const forgetAnswers = (): void => {
    serverErrors.value = {};
    failure.value = '';
  };
  keep(forgetAnswers);

  /** Sends the checked value with the version it was begun from; true once it is saved. Editing goes on from the record that `send` returns. */
  async function save(
    send: (value: T, version: number) => Promise<EditedRecord<unknown> | void>,
  ): Promise<boolean> {
    triedToSave.value = true;
    // A second click while the first is under way sends nothing.
    if (saving.value) return false;
    saving.value = true;
    failure.value = '';
    try {
      if (!(await isRight())) {
        failure.value = 'Not saved. Correct the marked fields first.';
        return false;
      }
      settle(await send(checked.value.value, version.value));
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
  function beginWith(from: T): void {
    begin(from);
    triedToSave.value = false;
    conflict.value = null;
    forgetAnswers();
  }
  /** Back to the record as it was when the form was opened. */
  const discard = (): void => beginWith(base.value);
  function takeTheirs(): void {
    if (!conflict.value) return;
    version.value = conflict.value.version;
    beginWith(conflict.value.body as T);
  }
  /** The next save replaces their version; nothing is sent yet. */
  function keepMine(): void {
    if (!conflict.value) return;
    version.value = conflict.value.version;
    conflict.value = null;
    failure.value = '';
  }
  return {
    body,
    resolver,
    errors,
    error,
    failure,
    saving,
    isDraft,
    conflict,
    save,
    discard,
    takeTheirs,
    keepMine,
  };
}
export type DraftForm = Pick<
  ReturnType<typeof useDraftForm>,
  'resolver' | 'failure' | 'saving' | 'isDraft' | 'conflict' | 'discard' | 'takeTheirs' | 'keepMine'
> & { body: object };
