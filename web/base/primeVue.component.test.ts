import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import BaseComponent from '@primevue/core/basecomponent';
import Button from 'primevue/button';
import { createApp, h, isReactive, nextTick, ref, type App } from 'vue';
import { usePrimeVue } from './primeVue.ts';

describe('controls of PrimeVue', () => {
  const count = ref(1);
  let isHooked = false;
  const pt = { hooks: { onMounted: () => void (isHooked = true) } };
  const app: App = createApp({
    render: () => Array.from({ length: count.value }, (_, i) => h(Button, { label: `Button ${i}`, pt })),
  });
  const { methods } = BaseComponent as unknown as { methods: { _getPTValue: () => object } };
  const searched = jest.spyOn(methods, '_getPTValue');
  beforeAll(() => {
    usePrimeVue(app);
    app.mount(document.body.appendChild(document.createElement('div')));
  });
  afterAll(() => app.unmount());

  const stylesOf = (name: string): string =>
    document.querySelector(`style[data-primevue-style-id="${name}"]`)?.textContent ?? '';

  it('have their styles, with the colours of the desk', () => {
    expect(stylesOf('button-style')).toContain('.p-button');
    expect(stylesOf('semantic-variables')).toContain('var(--action)');
  });
  it('write no style again when more of them are drawn', async () => {
    const changes: MutationRecord[] = [];
    const observer = new MutationObserver((more) => changes.push(...more));
    observer.observe(document.head, { childList: true, characterData: true, subtree: true });
    count.value = 3;
    await nextTick();
    expect(document.querySelectorAll('button')).toHaveLength(3);
    observer.disconnect();
    expect(changes).toEqual([]);
  });
  it('look for no hooks, and have their theme unwatched', () => {
    expect(isHooked).toBe(false);
    const { config } = app.config.globalProperties.$primevue as { config: { theme: { preset: object } } };
    expect(isReactive(config.theme.preset)).toBe(false);
  });
  it('search for attributes of no part that was given none', () => {
    expect(document.querySelector('button')!.outerHTML).toContain('data-pc-section="label"');
    expect(searched).not.toHaveBeenCalled();
  });
  it('prepare nothing for ripples', () => {
    const button = document.querySelector('button') as unknown as Record<string, unknown>;
    expect(button._$instances).toBeUndefined();
  });
});
