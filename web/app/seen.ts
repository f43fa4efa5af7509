/** When visits and postbacks last met each part: loaded on demand, asked again when more come. */
import { defineStore } from 'pinia';
import { onMounted, ref } from 'vue';
import { ask } from './api.ts';
import { onNews } from './stream.ts';

const PAUSE_MS = 15_000;

const useSeenStore = defineStore('seen', () => {
  const byId = ref(new Map<string, string>());
  const load = async (): Promise<void> => {
    const answer = await ask('partsSeen').catch(() => null);
    if (answer) byId.value = new Map(answer.rows.map((r) => [r.id, r.at]));
  };
  return { byId, load, at: (id: string): string => byId.value.get(id) ?? '' };
});

/** Within a component; kept up to date as long as it is there. */
export function useSeen() {
  const seen = useSeenStore();
  onMounted(seen.load);
  onNews(['visits', 'postbacks-in'], seen.load, PAUSE_MS);
  return seen;
}
