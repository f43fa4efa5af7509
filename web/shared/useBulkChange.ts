/** A change of several records, made and undone as one. */
import { ref } from 'vue';
import type { ChangeAnswer, ChangeRow } from '@tracheon/core/contract';
import { ask, type AskedWith } from '../app/api.ts';
import { useParts } from '../app/parts.ts';

export function useBulkChange() {
  const parts = useParts();
  const busy = ref(false);
  const failure = ref('');
  const done = ref<ChangeRow | null>(null);

  async function run(work: () => Promise<ChangeAnswer>, otherwise: string): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    failure.value = '';
    try {
      done.value = (await work()).change;
      await parts.load();
    } catch (error) {
      failure.value = `${otherwise} ${(error as Error).message}`;
    } finally {
      busy.value = false;
    }
  }
  return {
    busy,
    failure,
    done,
    change: (words: string, changes: AskedWith<'changeInBulk'>['body']['changes']): Promise<void> =>
      run(() => ask('changeInBulk', { body: { words, changes } }), 'Nothing was changed.'),
    undo: (id: string): Promise<void> => run(() => ask('undoChange', { id }), 'Nothing was undone.'),
  };
}
