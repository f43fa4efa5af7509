import { afterEach, beforeEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { defineComponent, h, nextTick } from 'vue';
import { z } from 'zod';
import { mounted } from '../../tests/mounting.ts';
import { useDraftForm } from './useDraftForm.ts';

const schema = z.object({
  name: z.string().min(1, 'Enter a name.'),
  words: z.array(z.object({ word: z.string().min(1, 'Enter a word.') })),
});
type Body = z.infer<typeof schema>;
const record = { version: 3, body: { name: 'Larkspur', words: [{ word: 'ok' }] } };

let wrapper: VueWrapper;
type Form = ReturnType<typeof useDraftForm<Body>>;
/** A form in a component, as every screen has it. */
function open(): Form {
  let form: Form | undefined;
  const Host = defineComponent({
    setup() {
      form = useDraftForm<Body>(schema, record.body, 'test.1', record);
      return () => h('div');
    },
  });
  wrapper = mounted(Host);
  return form!;
}
/** What was typed has been checked, and its draft kept. */
const settled = async (): Promise<void> => {
  await nextTick();
  await new Promise((resolve) => setTimeout(resolve));
};
beforeEach(() => localStorage.clear());
afterEach(() => wrapper.unmount());

it('says what is wrong beside a field once it was touched, at its own row', async () => {
  const form = open();
  expect(form.error('name')).toBeUndefined();
  form.body.name = '';
  form.body.words.push({ word: '' });
  await settled();
  expect(form.error('name')).toBe('Enter a name.');
  expect(form.error('words.1.word')).toBe('Enter a word.');
  form.body.words.splice(1, 1);
  await settled();
  // A row that is gone has no error any more.
  expect(form.error('words.1.word')).toBeUndefined();
});
