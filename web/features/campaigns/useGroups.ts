/** The list of campaigns in groups: by what, which are closed, in which order, and what is chosen of them. */
import { offersOf } from '@tracheon/core/routing';
import { computed, ref, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import { countryName } from '../../ui/format.ts';
import type { Column } from '../../ui/tableColumns.ts';
import {
  chosenParts,
  groupRows,
  ungrouped,
  type CampaignRow,
  type GroupsOf,
  type ListedRow,
} from './groupRows.ts';

/** What the list can be grouped by, and what campaigns of no group are called. */
function groupingsOf(parts: ReturnType<typeof useParts>) {
  const nameOf = (id: string): string[] => {
    const name = parts.byId.get(id)?.body.name;
    return name === undefined ? [] : [name];
  };
  const groupings: Record<string, { label: string; rest: string; of: GroupsOf }> = {
    source: { label: 'source', rest: 'No source', of: ({ body }) => nameOf(body.sourceId) },
    offer: {
      label: 'offer',
      rest: 'No offer',
      of: ({ body }) => [...new Set(offersOf(body).flatMap(nameOf))],
    },
    country: {
      label: 'country',
      rest: 'No country',
      of: ({ body }) => (body.country === '' ? [] : [countryName(body.country)]),
    },
    tag: { label: 'tag', rest: 'No tag', of: ({ body }) => body.tags },
  };
  return groupings;
}

export function useGroups(
  rows: Ref<CampaignRow[]>,
  picked: Ref<string[]>,
  columns: readonly Column<ListedRow>[],
) {
  const parts = useParts();
  const route = useRoute();
  const router = useRouter();
  /** In the address of the page, as a period is. */
  const groupings = computed(() => groupingsOf(parts));
  const groupBy = computed<string>({
    get: () => (Object.hasOwn(groupings.value, String(route.query.group)) ? String(route.query.group) : ''),
    set: (group) => {
      picked.value = [];
      void router.replace({ query: { ...route.query, group: group || undefined } });
    },
  });
  const grouping = computed(() => groupings.value[groupBy.value] ?? null);
  const groupChoices = computed(() => [
    { value: '', label: 'Group by: none' },
    ...Object.entries(groupings.value).map(([value, { label }]) => ({ value, label: `Group by: ${label}` })),
  ]);
  const closed = ref<ReadonlySet<string>>(new Set());
  function toggle({ key }: ListedRow): void {
    const next = new Set(closed.value);
    if (!next.delete(key)) next.add(key);
    closed.value = next;
  }
  const sort = ref('-profitMicros');
  const listed = computed<ListedRow[]>(() => {
    const by = grouping.value;
    if (!by) return ungrouped(rows.value);
    const column = columns.find((c) => c.key === sort.value.replace(/^-/, ''));
    const order = {
      value: column?.sort ?? ((r: ListedRow) => r.name),
      isDescending: sort.value.startsWith('-'),
    };
    return groupRows(rows.value, by.of, by.rest, order, closed.value);
  });
  const chosen = computed(() =>
    chosenParts(rows.value, grouping.value?.of ?? null, grouping.value?.rest ?? '', picked.value),
  );
  return { groupBy, grouping, groupChoices, closed, toggle, sort, listed, chosen };
}
