import { afterEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import type { FeedInput } from '@tracheon/core/contract';
import { nextTick, reactive } from 'vue';
import { mounted } from '../../../tests/mounting.ts';
import { blankFeed } from './blankFeed.ts';
import FeedProvider from './FeedProvider.vue';

let form: VueWrapper;
let body: FeedInput;
function open(
  more: Partial<FeedInput>,
  hasSecret = false,
  error: (path: string) => string | undefined = () => undefined,
) {
  body = reactive({ ...blankFeed('EUR', '2026-11-01', ''), ...more });
  form = mounted(FeedProvider, {
    props: { modelValue: body, secret: '', hasSecret, secretError: '', error },
    attachTo: document.body,
  });
}
afterEach(() => form.unmount());
const labels = (): string[] => form.findAll('label').map((l) => l.text());
const field = (label: string) =>
  form.find(
    `#${form
      .findAll('label')
      .find((l) => l.text() === label)!
      .attributes('for')}`,
  );

it.each<[string, Partial<FeedInput>, string[], string[]]>([
  [
    'a key in a header',
    { signIn: 'header' },
    ['Header of the key', 'Key', 'Text before the key (optional)'],
    ['User'],
  ],
  [
    'a key in a parameter',
    { signIn: 'parameter' },
    ['Parameter of the key', 'Key'],
    ['Text before the key (optional)'],
  ],
  ['a password', { signIn: 'basic' }, ['User', 'Password'], ['Key', 'Header of the key']],
  [
    'a token',
    { signIn: 'token' },
    ['User', 'Secret', 'Address that gives the token', 'Field with the token'],
    ['Key'],
  ],
  ['no sign-in', { signIn: 'none' }, ['Sign-in'], ['Key', 'User', 'Secret']],
  [
    'a report that is ordered',
    { report: 'prepared' },
    ['Field with the report’s ID', 'Value when ready'],
    [],
  ],
  ['CSV', { format: 'csv' }, ['Format'], ['Field with the list of rows']],
  ['numbered pages', { paging: 'page' }, ['Parameter of the page'], ['Field with the next address']],
])('asks for what %s needs, and for nothing else', (_, more, there, gone) => {
  open(more);
  expect(labels()).toEqual(expect.arrayContaining(there));
  for (const label of gone) expect(labels()).not.toContain(label);
});

it('writes without blanks at the ends, and says what is wrong at its field', async () => {
  open({}, false, (path) => (path === 'url' ? 'Enter an address.' : undefined));
  const address = field('Address of the report');
  await address.setValue('  https://copperleaf.example/report?day={day} ');
  await nextTick();
  expect(body.url).toBe('https://copperleaf.example/report?day={day}');
  expect(form.text()).toContain('Enter an address.');
  expect(document.getElementById(address.attributes('aria-describedby')!)?.textContent).toContain(
    'Enter an address.',
  );
});

it('never shows a key that is saved', () => {
  open({}, true);
  expect((field('Key').element as HTMLInputElement).value).toBe('');
  expect(form.text()).toContain('Saved. Leave it empty to keep it.');
});
