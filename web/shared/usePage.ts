/** One list of the API: loading, failing, older pages, and asking again when something has moved. */
import { onMounted, ref, watch, type Ref } from 'vue';
import type { EndpointName, Page } from '@tracheon/core/contract';
import { ask, type AnswerOf, type AskedWith, type QueryOf } from '../app/api.ts';

/** The endpoints that answer with one page of rows. */
export type ListName = {
  [N in EndpointName]: AnswerOf<N> extends Page<{ id: string }> ? N : never;
}[EndpointName];
export type RowOf<N extends ListName> = AnswerOf<N>['rows'][number];

/** `path`: what stands in the address of a list that belongs to a record. */
export function usePage<N extends ListName>(name: N, params: () => QueryOf<N>, path: { id?: string } = {}) {
  type R = RowOf<N>;
  const rows = ref([]) as Ref<R[]>;
  const next = ref<string | null>(null);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  let asked = 0;
  /** Other rows are wanted than those shown, which stay until these are there. */
  let isOther = false;
  const page = (more: object): Promise<Page<R>> =>
    ask(name, { ...path, query: { ...(params() as object), ...more } } as unknown as AskedWith<N>) as Promise<
      Page<R>
    >;

  async function load(): Promise<void> {
    const mine = ++asked;
    try {
      // What is shown already stays shown: a refresh asks for as many rows.
      const limit = Math.min(
        200,
        Math.max(Number((params() as { limit?: unknown }).limit ?? 50), isOther ? 0 : rows.value.length),
      );
      const answer = await page({ limit });
      // An answer that has been overtaken by a newer question is not shown.
      if (mine !== asked) return;
      isOther = false;
      rows.value = answer.rows;
      next.value = answer.next;
      state.value = 'ready';
    } catch (error) {
      if (mine !== asked) return;
      failure.value = (error as Error).message;
      if (rows.value.length === 0 || isOther) state.value = 'failed';
    }
  }
  const moreFailure = ref('');
  let fetchingMore = false;
  async function more(): Promise<void> {
    if (next.value === null || fetchingMore) return;
    fetchingMore = true;
    const mine = asked;
    try {
      const answer = await page({ cursor: next.value });
      // Another search meanwhile: these rows belong to the one before.
      if (mine !== asked) return;
      rows.value = [...rows.value, ...answer.rows];
      next.value = answer.next;
      moreFailure.value = '';
    } catch (error) {
      moreFailure.value = (error as Error).message;
    } finally {
      fetchingMore = false;
    }
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  watch(
    () => JSON.stringify(params()),
    () => {
      clearTimeout(timer);
      isOther = true;
      state.value = 'loading';
      timer = setTimeout(() => void load(), 200);
    },
  );
  onMounted(load);
  return { rows, next, state, failure, moreFailure, load, more };
}
