import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils';
import { defineComponent, h, ref } from 'vue';
import { createMemoryHistory, createRouter, RouterView, type Router } from 'vue-router';
import { useRouterHere } from './useRouterHere.ts';

let answer: () => void;
let opens: (() => void) | undefined;
let router: Router;
let app: VueWrapper;
const isShown = ref(true);
beforeEach(async () => {
  const answered = new Promise<void>((done) => (answer = done));
  const Waiting = defineComponent({
    setup() {
      const here = useRouterHere();
      void answered.then(() => here.push('/done'));
      return () => h('p', 'waits');
    },
  });
  const Plain = defineComponent({ setup: () => () => h('p', 'another') });
  router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/waiting', component: Waiting },
      { path: '/done', component: Plain },
      { path: '/another', component: Plain },
      { path: '/late', component: () => new Promise<typeof Plain>((done) => (opens = () => done(Plain))) },
    ],
  });
  await router.push('/waiting');
  isShown.value = true;
  app = mount(() => (isShown.value ? h(RouterView) : null), { global: { plugins: [router] } });
  await flushPromises();
});
afterEach(() => app.unmount());

const answers = async (): Promise<void> => {
  answer();
  await flushPromises();
};

describe('the router of a screen that waits', () => {
  it('goes on when the server has answered', async () => {
    await answers();
    expect(router.currentRoute.value.path).toBe('/done');
  });

  it('leaves who has left where they are', async () => {
    await router.push('/another?state=paused');
    await answers();
    expect(router.currentRoute.value.fullPath).toBe('/another?state=paused');
  });

  it('leads nowhere once it is taken away, also while its address stays', async () => {
    isShown.value = false;
    await flushPromises();
    await answers();
    expect(router.currentRoute.value.path).toBe('/waiting');
  });

  it('does not call off a way to a screen that is still loading', async () => {
    const leaving = router.push('/late');
    await flushPromises();
    await answers();
    opens!();
    await leaving;
    expect(router.currentRoute.value.path).toBe('/late');
  });
});
