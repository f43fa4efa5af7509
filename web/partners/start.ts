import ToastService from 'primevue/toastservice';
import { createApp } from 'vue';
import PartnersApp from './PartnersApp.vue';
import { whenSignedOut } from './ask.ts';
import { me } from './me.ts';
import { makeRouter } from './router.ts';
import '../base/style.css';
import { usePrimeVue } from '../base/primeVue.ts';
import { applyTheme } from '../base/theme.ts';

applyTheme();
const app = createApp(PartnersApp);
const router = makeRouter();
whenSignedOut(() => {
  me.value = null;
  if (router.currentRoute.value.name !== 'sign-in')
    void router.push({ name: 'sign-in', query: { to: router.currentRoute.value.fullPath } });
});
app.use(router);
usePrimeVue(app);
app.use(ToastService);
app.mount('#app');
