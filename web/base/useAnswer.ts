/**
 * What the server answers about one thing, on a screen: asked for anew when the thing changes, kept while it stays, with the
 * reason when it fails. Answers that are overtaken by a newer question are not shown.
 */
import { ref, watch, type Ref } from 'vue';
import { newest } from './newest.ts';

export function useAnswer<T>(
  /** The thing that is asked about; empty: nothing now. */
  of: () => string,
  question: (id: string) => Promise<T>,
): { answer: Ref<T | null>; failure: Ref<string>; load: () => Promise<void> } {
  const answer = ref<T | null>(null) as Ref<T | null>;
  const failure = ref('');
  const asks = newest();
  let shown = '';
  const load = (): Promise<void> => {
    const id = of();
    if (id === '') return Promise.resolve();
    if (id !== shown) answer.value = null;
    shown = id;
    return asks(
      question(id),
      (found) => {
        answer.value = found;
        failure.value = '';
      },
      (why) => (failure.value = why),
    );
  };
  watch(of, load, { immediate: true });
  return { answer, failure, load };
}
