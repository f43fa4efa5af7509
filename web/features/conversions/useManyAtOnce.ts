/** An act on every row of a list, page by page: with progress, and an end whenever the member wants it. */
import { MAX_AT_ONCE, type ManyAnswer } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';

type Named = { rows: { id: string }[]; next: string | null };

export function useManyAtOnce() {
  const isRunning = ref(false);
  const changed = ref(0);
  const unchanged = ref<{ id: string; why: string }[]>([]);
  const failure = ref('');
  const isFinished = ref(false);
  let isStopped = false;
  const seen = computed(() => changed.value + unchanged.value.length);

  async function run(
    list: 'listPostbacksOut' | 'listPostbacksIn' | 'listConversions',
    query: Record<string, string>,
    act: (ids: string[]) => Promise<ManyAnswer>,
  ): Promise<void> {
    if (isRunning.value) return;
    [isRunning.value, isFinished.value, isStopped] = [true, false, false];
    [changed.value, unchanged.value, failure.value] = [0, [], ''];
    let cursor = '';
    try {
      do {
        // Rows that were changed leave the list; the cursor stands behind those that were seen.
        const page = (await ask(list, { query: { ...query, cursor, limit: MAX_AT_ONCE } as never })) as Named;
        if (page.rows.length === 0) break;
        const answer = await act(page.rows.map((r) => r.id));
        changed.value += answer.changed;
        unchanged.value = [...unchanged.value, ...answer.unchanged];
        cursor = page.next ?? '';
      } while (cursor !== '' && !isStopped);
      isFinished.value = true;
    } catch (error) {
      failure.value = (error as Error).message;
    } finally {
      isRunning.value = false;
    }
  }
  /** The reasons why rows stayed as they were, each with how many. */
  const reasons = computed(() => {
    const counts = new Map<string, number>();
    for (const { why } of unchanged.value) counts.set(why, (counts.get(why) ?? 0) + 1);
    return [...counts].map(([why, n]) => ({ why, n }));
  });
  return {
    isRunning,
    isFinished,
    isStopped: () => isStopped,
    changed,
    seen,
    failure,
    reasons,
    run,
    stop: () => void (isStopped = true),
  };
}
