/** Which source and which of its sub-IDs a cut list is of; both stand in the address of the page. */
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useParts } from '../../../app/parts.ts';
import { subsOf } from '@tracheon/core/parts';
import { firstSub } from '../../../shared/sourceSubs.ts';

export function useCutChoice() {
  const parts = useParts();
  const route = useRoute();
  const router = useRouter();
  const sources = computed(() =>
    [...parts.of('source')].sort((a, b) => a.body.name.localeCompare(b.body.name)),
  );
  const source = computed(
    () => sources.value.find((s) => s.id === route.query.source) ?? sources.value[0] ?? null,
  );
  const subs = computed(() => (source.value ? subsOf(source.value.body) : []));
  const sub = computed(() => {
    const asked = String(route.query.sub ?? '');
    return asked !== '' ? asked : firstSub(subs.value);
  });
  const go = (query: Record<string, string>): void => void router.replace({ query });
  const choose = {
    source: (id: string): void => go({ source: id }),
    sub: (name: string): void => go({ source: source.value!.id, sub: name }),
  };
  return { sources, source, subs, sub, choose };
}
