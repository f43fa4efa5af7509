import { afterEach, beforeEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { defineComponent, h, nextTick } from 'vue';
import { z } from 'zod';
import type { PartRecord } from '@tracheon/core/contract';
import { mounted } from '../../tests/mounting.ts';
import { ApiError } from '../app/api.ts';
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

it('does not save what is wrong, and says so', async () => {
  const form = open();
  form.body.name = '';
  const sent: Body[] = [];
  expect(await form.save(async (value) => void sent.push(value))).toBe(false);
  expect(sent).toEqual([]);
  expect(form.failure.value).toBe('Not saved. Correct the marked fields first.');
});

it('keeps what was typed until it is saved, or discarded', async () => {
  const form = open();
  form.body.name = 'Larkspur two';
  await settled();
  wrapper.unmount();
  const again = open();
  expect([again.body.name, again.isDraft.value]).toEqual(['Larkspur two', true]);
  again.discard();
  await settled();
  expect([again.body.name, again.isDraft.value]).toEqual(['Larkspur', false]);
});

it('a second save while the first is under way sends nothing', async () => {
  const form = open();
  form.body.name = 'Once';
  let times = 0;
  const send = async (): Promise<void> => {
    times += 1;
    await settled();
  };
  await Promise.all([form.save(send), form.save(send)]);
  expect(times).toBe(1);
});

it('shows both versions when another member saved first; the member takes theirs, or saves over it', async () => {
  const form = open();
  form.body.name = 'Mine';
  const theirs = { version: 4, body: { name: 'Theirs', words: [] } } as unknown as PartRecord;
  const refused = async (): Promise<void> => {
    throw new ApiError('changed_meanwhile', 'Another member saved it.', [], theirs);
  };
  expect(await form.save(refused)).toBe(false);
  expect(form.conflict.value).toEqual(theirs);
  form.keepMine();
  const seen: [string, number][] = [];
  expect(await form.save(async (value, version) => void seen.push([value.name, version]))).toBe(true);
  expect(seen).toEqual([['Mine', 4]]);

  await form.save(refused);
  form.takeTheirs();
  expect([form.body.name, form.conflict.value]).toEqual(['Theirs', null]);
});

it('shows what the server has against a field beside that field, until it is changed', async () => {
  const form = open();
  form.body.name = 'Taken';
  await form.save(async () => {
    throw new ApiError('name_taken', 'The name is taken.', [
      { path: 'name', message: 'Another network has this name.' },
    ]);
  });
  expect(form.error('name')).toBe('Another network has this name.');
  form.body.name = 'Free';
  await settled();
  expect(form.error('name')).toBeUndefined();
});
