import { createPinia } from 'pinia';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import { createApp } from 'vue';
import App from './App.vue';
import { whenSignedOut } from './api.ts';
import { makeRouter } from './router.ts';
import { useSession } from './session.ts';
import { closeStream } from './stream.ts';
import '../base/style.css';
import { usePrimeVue } from '../base/primeVue.ts';
import { applyTheme } from '../base/theme.ts';

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
usePrimeVue(app);
app.use(ToastService);
app.use(ConfirmationService);
app.mount('#app');
