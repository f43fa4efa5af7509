import { afterEach, beforeEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { createPinia, setActivePinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import { RouterLinkStub } from '@vue/test-utils';
import { campaignInput, type PartRecord, type Role } from '@tracheon/core/contract';
import { mounted } from '../../../../tests/mounting.ts';
import { useSession } from '../../../app/session.ts';
import BulkBar from './BulkBar.vue';

const campaign = (name: string, state: PartRecord['state']): PartRecord<'campaign'> => ({
  id: name,
  kind: 'campaign',
  version: 1,
  state,
  key: 'k',
  body: campaignInput.parse({ name, sourceId: 'S', offerId: 'O' }),
  createdAt: '2026-11-25T09:30:00Z',
  updatedAt: '2026-11-25T09:30:00Z',
});
const running = [campaign('BE · Stargazing', 'live'), campaign('NL · Terrarium', 'live')];

let bar: VueWrapper;
let pinia: ReturnType<typeof createPinia>;
function open(chosen: PartRecord<'campaign'>[], role: Role = 'editor'): VueWrapper {
  useSession().me = { role } as NonNullable<ReturnType<typeof useSession>['me']>;
  bar = mounted(BulkBar, {
    props: { chosen },
    global: { plugins: [PrimeVue, ToastService, pinia], stubs: { RouterLink: RouterLinkStub } },
  });
  return bar;
}
beforeEach(() => void setActivePinia((pinia = createPinia())));
afterEach(() => bar.unmount());
const buttons = (): string[] => bar.findAll('button').map((b) => b.text());

it('is there once something is chosen, and clears the choice', async () => {
  open([]);
  expect(bar.find('[role="region"]').exists()).toBe(false);
  bar.unmount();
  open(running);
  expect(bar.text()).toContain('2 chosen');
  await bar
    .findAll('button')
    .find((b) => b.text() === 'Clear selection')!
    .trigger('click');
  expect(bar.emitted('done')).toHaveLength(1);
});

it('offers only the states that would change something', () => {
  open(running);
  expect(buttons()).toEqual(expect.arrayContaining(['Pause …', 'Archive …']));
  expect(buttons()).not.toContain('Resume …');
  bar.unmount();
  open([running[0]!, campaign('PT · Sourdough', 'paused')]);
  expect(buttons()).toEqual(expect.arrayContaining(['Pause …', 'Resume …', 'Archive …']));
});

it('says why a campaign cannot be duplicated with others', () => {
  open(running);
  const duplicate = bar.findAll('button').find((b) => b.text() === 'Duplicate for …')!;
  expect(duplicate.attributes('disabled')).toBeDefined();
  const reason = bar.find(`#${duplicate.attributes('aria-describedby')}`);
  expect(reason.text()).toBe('To duplicate, choose one campaign only.');
  bar.unmount();
  open([running[0]!]);
  expect(
    bar
      .findAll('button')
      .find((b) => b.text() === 'Duplicate for …')!
      .attributes('disabled'),
  ).toBeUndefined();
});

it('changes nothing for a viewer, who can still copy the links', () => {
  open(running, 'viewer');
  expect(buttons().some((b) => b.endsWith('…'))).toBe(false);
  expect(bar.text()).toContain('Copy their links');
});
