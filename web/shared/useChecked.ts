/** What was typed into a form, checked as it is typed by the form library’s resolver, with the server’s messages beside ours. */
import { zodResolver } from '@primevue/forms/resolvers/zod';
import { computed, ref, watch, type Ref } from 'vue';
import type { z } from 'zod';
import { ApiError } from '../app/api.ts';

/** What is checked and sent of what was typed. */
export interface Meant<T> {
  value: T;
  /** The path of a field in the form, from its path in the value. */
  pathOf: (path: string) => string;
}
export const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

export const fieldMessages = (e: unknown, pathOf: (path: string) => string): Record<string, string> =>
  Object.fromEntries((e instanceof ApiError ? e.fields : []).map((f) => [pathOf(f.path), f.message]));

/** What the library's resolver is asked with, and answers. */
type Checked = { values: unknown; errors: Record<string, { message: string }[]> };

export function useChecked<T extends object>(
  schema: z.ZodType<T>,
  body: T,
  meant: (value: T) => Meant<T>,
  serverErrors: Ref<Record<string, string>>,
) {
  const check = zodResolver(schema) as (asked: { values: T; name?: string }) => Promise<Checked>;
  const checked = computed(() => meant(copy(body)));
  const own = ref<Record<string, string>>({});
  let asked = 0;
  /** True when nothing is wrong with what is there now. */
  async function isRight(): Promise<boolean> {
    const mine = ++asked;
    const { value, pathOf } = checked.value;
    const { errors: found } = await check({ values: value });
    const messages = Object.fromEntries(
      Object.entries(found).map(([path, [first]]) => [pathOf(path), first!.message]),
    );
    // What was typed meanwhile has a check of its own.
    if (mine === asked) own.value = messages;
    return Object.keys(messages).length === 0;
  }
  watch(checked, isRight, { immediate: true });
  const errors = computed<Record<string, string>>(() => ({ ...own.value, ...serverErrors.value }));
  /** For the library's form: it asks when the form is submitted. */
  const resolver = async (): Promise<Checked> => {
    await isRight();
    const messages = Object.entries(own.value).map(([path, message]) => [path, [{ message }]]);
    return { values: checked.value.value, errors: Object.fromEntries(messages) as Checked['errors'] };
  };
  return { checked, errors, isRight, resolver };
}
