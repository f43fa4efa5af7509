/** One list of the API: loading, failing, older pages, and asking again when something has moved. */
import { onMounted, ref, watch, type Ref } from 'vue';
import type { Page } from '@tracheon/core/contract';
import { api, query } from '../app/api.ts';

export function usePage<R extends { id: string }>(
  path: string,
  params: () => Record<string, string | number>,
) {
  const rows = ref([]) as Ref<R[]>;
  const next = ref<string | null>(null);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  let asked = 0;

  async function load(): Promise<void> {
    const mine = ++asked;
    try {
      // What is shown already stays shown: a refresh asks for as many rows.
      const limit = Math.min(200, Math.max(Number(params().limit ?? 50), rows.value.length));
      const page = await api.get<Page<R>>(`${path}${query({ ...params(), limit })}`);
      // An answer that has been overtaken by a newer question is not shown.
      if (mine !== asked) return;
      rows.value = page.rows;
      next.value = page.next;
      state.value = 'ready';
    } catch (error) {
      if (mine !== asked) return;
      failure.value = (error as Error).message;
      if (rows.value.length === 0) state.value = 'failed';
    }
  }
  const moreFailure = ref('');
  let fetchingMore = false;
  async function more(): Promise<void> {
    if (next.value === null || fetchingMore) return;
    fetchingMore = true;
    const mine = asked;
    try {
      const page = await api.get<Page<R>>(`${path}${query({ ...params(), cursor: next.value })}`);
      // Another search meanwhile: these rows belong to the one before.
      if (mine !== asked) return;
      rows.value = [...rows.value, ...page.rows];
      next.value = page.next;
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
      rows.value = [];
      state.value = 'loading';
      timer = setTimeout(() => void load(), 200);
    },
  );
  onMounted(load);
  return { rows, next, state, failure, moreFailure, load, more };
}
