/** The figures of this desk besides those of the registry. */
import { computed, ref } from 'vue';
import type { OwnFigure } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { moreFigures } from './moreFigures.ts';

export function useMoreFigures() {
  const parts = useParts();
  const own = ref<OwnFigure[]>([]);
  const load = async (): Promise<void> => {
    own.value = await ask('listOwnFigures');
  };
  // Without them the table has the others.
  void load().catch(() => undefined);
  const figures = computed(() =>
    moreFigures(
      parts.of('event-type', true).map((e) => ({ id: e.id, name: e.body.name })),
      own.value,
    ),
  );
  return { own, figures, load };
}
