import { createPinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import { createApp } from 'vue';
import App from './App.vue';
import { whenSignedOut } from './api.ts';
import { makeRouter } from './router.ts';
import { useSession } from './session.ts';
import { closeStream } from './stream.ts';
import '../base/style.css';
import { applyTheme, preset } from '../base/theme.ts';

applyTheme();
const app = createApp(App);
app.use(createPinia());
const session = useSession();
const router = makeRouter(session);
whenSignedOut(() => {
  closeStream();
  session.me = null;
  if (router.currentRoute.value.name !== 'sign-in')
    void router.push({ name: 'sign-in', query: { to: router.currentRoute.value.fullPath } });
});
app.use(router);
app.use(PrimeVue, {
  // Weeks begin on Monday, as reports count them.
  locale: { firstDayOfWeek: 1 },
  theme: { preset, options: { darkModeSelector: '[data-theme="dark"]', cssLayer: true } },
});
app.use(ToastService);
app.use(ConfirmationService);
app.mount('#app');
