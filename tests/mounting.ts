/** For component tests: a component as the app would mount it, with PrimeVue and a body to live in. */
import { mount, type VueWrapper } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import type { Component } from 'vue';

export function mounted(component: Component, options: object = {}): VueWrapper {
  return mount(component, { attachTo: document.body, global: { plugins: [PrimeVue] }, ...options });
}
