/**
 * A list that the server searches, filters, sorts and pages. What it is narrowed by stands in the page's address, so that
 * a link leads to a filtered list and a reload keeps it.
 */
import { computed, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { QueryOf } from '../app/api.ts';
import { usePage, type ListName } from './usePage.ts';

const ROWS_OF_A_PAGE = 50;

/** `fixed`: what the page itself narrows by; `filters`: parameters that the member chooses. */
export function useList<N extends ListName, Filter extends string>(
  name: N,
  filters: readonly Filter[],
  fixed: Partial<QueryOf<N>> = {},
) {
  const route = useRoute();
  const here = route.path;
  const router = useRouter();
  const inAddress = (key: string): string => String(route.query[key] ?? '');
  const search = ref(inAddress('search'));
  const sort = ref(inAddress('sort') || '-at');
  const chosen = reactive(
    Object.fromEntries(filters.map((f) => [f, inAddress(f)])) as Record<Filter, string>,
  );
  const isNarrowed = computed(() => search.value !== '' || filters.some((f) => chosen[f as never] !== ''));

  watch([search, sort, chosen], () => {
    const wanted: Record<string, string> = { ...(chosen as Record<string, string>), search: search.value };
    if (sort.value !== '-at') wanted.sort = sort.value;
    const query = Object.fromEntries(Object.entries(wanted).filter(([, v]) => v !== ''));
    if (route.path === here) void router.replace({ query });
  });
  // A link to the same screen narrows it anew.
  watch(
    () => route.query,
    () => {
      // On the way to another screen its address is not this list's.
      if (route.path !== here) return;
      search.value = inAddress('search');
      sort.value = inAddress('sort') || '-at';
      for (const f of filters) chosen[f as never] = inAddress(f) as never;
    },
  );
  const asked = (): object => ({
    ...(fixed as object),
    ...chosen,
    search: search.value,
    sort: sort.value,
    limit: ROWS_OF_A_PAGE,
  });
  // What stands in the address is text; the server refuses what it does not take.
  const list = usePage(name, () => asked() as QueryOf<N>);
  return { ...list, search, sort, sortBy: (by: string) => void (sort.value = by), chosen, isNarrowed };
}
export type ServerListState = ReturnType<typeof useList>;
