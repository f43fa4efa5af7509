/** Which source and which of its sub-IDs a cut list is of; both stand in the address of the page. */
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useParts } from '../../../app/parts.ts';

/** Sub-IDs that the source names in its parameters. */
const subsOf = (parameters: readonly { role: string; sub: string }[]): string[] => [
  ...new Set(parameters.filter((p) => p.role === 'sub' && p.sub !== '').map((p) => p.sub)),
];

/** Where visits came from is what is cut most often. */
const FIRST_CHOICES = ['site', 'zone'];

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
  const subs = computed(() => (source.value ? subsOf(source.value.body.parameters) : []));
  const sub = computed(() => {
    const asked = String(route.query.sub ?? '');
    if (asked !== '') return asked;
    return FIRST_CHOICES.find((s) => subs.value.includes(s)) ?? subs.value[0] ?? '';
  });
  const go = (query: Record<string, string>): void => void router.replace({ query });
  const choose = {
    source: (id: string): void => go({ source: id }),
    sub: (name: string): void => go({ source: source.value!.id, sub: name }),
  };
  return { sources, source, subs, sub, choose };
}
