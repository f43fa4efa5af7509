/** Screens of the partner page and their addresses. Every screen but the sign-in asks who you are first. */
import { createRouter, createWebHistory, type RouteRecordRaw, type Router } from 'vue-router';
import { ApiError } from '../base/client.ts';
import { loadMe, me } from './me.ts';
import { failure } from './failure.ts';

const routes: RouteRecordRaw[] = [
  { path: '/', redirect: '/offers' },
  {
    path: '/sign-in',
    name: 'sign-in',
    component: () => import('./PartnerSignIn.vue'),
    meta: { title: 'Sign in', isOpen: true },
  },
  {
    path: '/new-password',
    component: () => import('./ChoosePassword.vue'),
    meta: { title: 'Choose a password', isOpen: true },
  },
  { path: '/offers', component: () => import('./OffersPage.vue'), meta: { title: 'Offers' } },
  { path: '/offers/:id', component: () => import('./OfferPage.vue'), meta: { title: 'Offer' } },
  { path: '/numbers', component: () => import('./PartnerNumbers.vue'), meta: { title: 'Numbers' } },
  {
    path: '/conversions',
    component: () => import('./ConversionsPage.vue'),
    meta: { title: 'Conversions' },
  },
  { path: '/statements', component: () => import('./OwnStatements.vue'), meta: { title: 'Statements' } },
  { path: '/statements/:id', component: () => import('./OwnStatement.vue'), meta: { title: 'Statement' } },
  { path: '/postback', component: () => import('./PostbackPage.vue'), meta: { title: 'Postback' } },
  { path: '/account', component: () => import('./AccountPage.vue'), meta: { title: 'Account' } },
  { path: '/:rest(.*)*', component: () => import('./NoSuchPage.vue'), meta: { title: 'No such page' } },
];

export function makeRouter(): Router {
  const router = createRouter({ history: createWebHistory(), routes });
  router.beforeEach(async (to) => {
    if (to.meta.isOpen || me.value) return true;
    try {
      await loadMe();
      failure.value = '';
      return true;
    } catch (error) {
      if (error instanceof ApiError && error.code === 'not_signed_in')
        return { name: 'sign-in', query: { to: to.fullPath } };
      failure.value = (error as Error).message;
      return true;
    }
  });
  router.afterEach((to) => void (document.title = `${String(to.meta.title)} · Partner page`));
  router.onError(() => (failure.value = 'This screen couldn’t be loaded. Reload the page.'));
  return router;
}
