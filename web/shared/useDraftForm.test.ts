import { beforeEach, describe, expect, it } from '@jest/globals';
import { nextTick } from 'vue';
import { eventTypeInput, wholeBody, type PartRecord } from '@tracheon/core/contract';
import { ApiError } from '../app/api.ts';
import { useDraftForm } from './useDraftForm.ts';

const stored = new Map<string, string>();
globalThis.localStorage = {
  getItem: (k: string) => stored.get(k) ?? null,
  setItem: (k: string, v: string) => void stored.set(k, v),
  removeItem: (k: string) => void stored.delete(k),
} as unknown as Storage;
beforeEach(() => stored.clear());

/** What was typed has been checked: the library's resolver answers a moment later. */
const checked = async (): Promise<void> => {
  await nextTick();
  await new Promise((resolve) => setImmediate(resolve));
};

const blank = wholeBody('event-type', { name: '', word: '' });
const record = { version: 4, body: { ...blank, name: 'Sale', word: 'sale' } };
const open = (part?: typeof record) => useDraftForm(eventTypeInput, blank, 'x', part);

describe('a form', () => {
  it('says nothing of a field that was not touched, until saving is tried', async () => {
    const form = open();
    expect(form.error('name')).toBeUndefined();
    expect(await form.save(() => Promise.reject(new Error('must not be sent')))).toBe(false);
    expect(form.error('name')).toBe('Enter a name.');
    expect(form.failure.value).toContain('Not saved');
  });
  it('checks while typing', async () => {
    const form = open();
    form.body.word = 'x'.repeat(80);
    await checked();
    expect(form.error('word')).toMatch(/64|big|small|long/i);
    expect(form.error('name')).toBeUndefined();
  });
  it('keeps a draft, gives it back with its version, and drops it when nothing differs any more', async () => {
    const first = open(record);
    first.body.word = 'order';
    await nextTick();
    const again = open({ version: 9, body: { ...record.body, word: 'else' } });
    expect([again.body.word, again.isDraft.value]).toEqual(['order', true]);
    let sentVersion = 0;
    await again.save((_value, version) => {
      sentVersion = version;
      return Promise.resolve();
    });
    expect(sentVersion).toBe(4);
    expect(stored.size).toBe(0);
    const third = open(record);
    third.body.word = 'a';
    await nextTick();
    third.body.word = 'sale';
    await nextTick();
    expect(stored.size).toBe(0);
  });
  it('survives a draft that no form here wrote', () => {
    stored.set('tracheon.draft.x', '{"name": "old shape"}');
    expect(open().body.name).toBe('');
    stored.set('tracheon.draft.x', 'not json');
    expect(open().isDraft.value).toBe(false);
  });
  it('sends once for two clicks', async () => {
    const form = open(record);
    let sent = 0;
    let release: () => void = () => undefined;
    const slow = () => {
      sent += 1;
      return new Promise<void>((resolve) => (release = resolve));
    };
    const both = [form.save(slow), form.save(slow)];
    await checked();
    release();
    expect([await Promise.all(both), sent]).toEqual([[true, false], 1]);
  });
});

describe('a record that another member has saved', () => {
  const theirs = { version: 5, body: { ...record.body, word: 'purchase' } } as unknown as PartRecord;
  const refused = () => Promise.reject(new ApiError('changed_meanwhile', 'Another member …', [], theirs));

  it('is shown beside what was typed; theirs can be taken', async () => {
    const form = open(record);
    form.body.repeats = true;
    await nextTick();
    expect(await form.save(refused)).toBe(false);
    expect(form.conflict.value).toBe(theirs);
    form.takeTheirs();
    expect([form.body.word, form.body.repeats, form.conflict.value]).toEqual(['purchase', false, null]);
    let version = 0;
    await form.save((_v, v) => Promise.resolve(void (version = v)));
    expect(version).toBe(5);
  });
  it('or replaced, once the member says so', async () => {
    const form = open(record);
    form.body.repeats = true;
    await nextTick();
    await form.save(refused);
    form.keepMine();
    let sent: unknown;
    await form.save((value, version) => Promise.resolve(void (sent = [value.word, value.repeats, version])));
    expect(sent).toEqual(['sale', true, 5]);
  });
});

it('what the server has against a field is shown beside it, until it is changed', async () => {
  const form = open(record);
  await form.save(() =>
    Promise.reject(new ApiError('word_taken', 'Taken.', [{ path: 'word', message: 'Another has it.' }])),
  );
  expect(form.error('word')).toBe('Another has it.');
  form.body.word = 'other';
  await nextTick();
  expect(form.error('word')).toBeUndefined();
});
