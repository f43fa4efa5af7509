/** What the lists of this area are narrowed by. */
import type { PartKind } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import type { ListFilter } from '../../shared/ListHead.vue';

/** The records of a kind, archived ones too: their conversions are still there. */
export function partFilter(kind: PartKind, name: string, label: string): ListFilter {
  const options = useParts()
    .of(kind, true)
    .map((p) => ({ value: p.id, label: p.body.name }))
    .sort((a, b) => a.label.localeCompare(b.label));
  return { name, label, options };
}
export const wordsFilter = (label: string, words: readonly string[]): ListFilter => ({
  name: 'kind',
  label,
  options: words.map((value) => ({ value, label: listWord(value) })),
});
/** An outcome or a state, as the screens write it. */
export const listWord = (word: string): string =>
  ({
    repair: 'needs repair',
    gave_up: 'gave up',
    set_aside: 'set aside',
    on_page: 'waiting for page',
    known: 'imported before',
    carried: 'carried over',
  })[word] ?? word;
