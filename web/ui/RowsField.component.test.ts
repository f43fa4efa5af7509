import { afterEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { nextTick } from 'vue';
import { mounted } from '../../tests/mounting.ts';
import RowsField from './RowsField.vue';

interface Word {
  word: string;
}
let field: VueWrapper;
const open = (rows: Word[]): VueWrapper =>
  (field = mounted(RowsField, {
    props: { modelValue: rows, add: 'Add word', one: 'word', make: (): Word => ({ word: '' }) },
    slots: {
      default:
        '<template #default="{ row, i }"><input v-model="row.word" :aria-label="`Word ${i + 1}`" /></template>',
    },
    attachTo: document.body,
  }));
afterEach(() => field.unmount());
const focused = (): string | null => document.activeElement?.getAttribute('aria-label') ?? null;

it('adds a row and goes to its first field; again and again', async () => {
  open([{ word: 'ok' }]);
  const add = field.findAll('button').find((b) => b.text() === 'Add word')!;
  await add.trigger('click');
  await nextTick();
  expect(focused()).toBe('Word 2');
  await add.trigger('click');
  await nextTick();
  expect(focused()).toBe('Word 3');
});

it('removes the row that was meant, and goes on in the one that took its place', async () => {
  const rows = [{ word: 'a' }, { word: 'b' }, { word: 'c' }];
  open(rows);
  await field.find('[aria-label="Remove word 2"]').trigger('click');
  await nextTick();
  expect(rows.map((r) => r.word)).toEqual(['a', 'c']);
  expect(focused()).toBe('Word 2');
  expect((document.activeElement as HTMLInputElement).value).toBe('c');
});
