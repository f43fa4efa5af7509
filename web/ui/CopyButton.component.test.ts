import { expect, it, jest } from '@jest/globals';
import { mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import CopyButton from './CopyButton.vue';

it('copies its text, and nothing while there is none', async () => {
  const writeText = jest.fn((_text: string) => Promise.resolve());
  Object.defineProperty(navigator, 'clipboard', { value: { writeText }, configurable: true });
  const button = mount(CopyButton, {
    props: { text: '', label: 'Copy' },
    global: { plugins: [PrimeVue, ToastService] },
  });
  expect(button.find('button').attributes('disabled')).toBeDefined();
  await (button.vm as unknown as { copy: () => Promise<void> }).copy();
  expect(writeText).not.toHaveBeenCalled();
  await button.setProps({ text: 'https://track.example/v/k' });
  await button.find('button').trigger('click');
  expect(writeText.mock.calls).toEqual([['https://track.example/v/k']]);
});
