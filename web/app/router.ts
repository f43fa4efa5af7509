/** Screens and their addresses. Every screen but the sign-in asks who you are first. */
import { createRouter, createWebHistory, type Router, type RouteRecordRaw } from 'vue-router';
import { ApiError } from './api.ts';
import { notLoaded } from './notLoaded.ts';
import type { useSession } from './session.ts';

const routes: RouteRecordRaw[] = [
  { path: '/', redirect: '/today' },
  {
    path: '/sign-in',
    name: 'sign-in',
    component: () => import('../features/signIn/SignInPage.vue'),
    meta: { title: 'Sign in' },
  },
  {
    path: '/new-password',
    name: 'new-password',
    component: () => import('../features/signIn/NewPasswordPage.vue'),
    meta: { title: 'New password' },
  },
  {
    path: '/today',
    component: () => import('../features/today/TodayPage.vue'),
    meta: { title: 'Today' },
  },
  {
    path: '/numbers',
    component: () => import('../features/numbers/NumbersPage.vue'),
    meta: { title: 'Numbers' },
  },
  {
    path: '/numbers/cut',
    component: () => import('../features/numbers/cut/CutListPage.vue'),
    meta: { title: 'Cut list' },
  },
  {
    path: '/campaigns',
    component: () => import('../features/campaigns/CampaignsPage.vue'),
    meta: { title: 'Campaigns' },
  },
  {
    path: '/campaigns/:id',
    component: () => import('../features/campaigns/CampaignPage.vue'),
    meta: { title: 'Campaign' },
  },
  {
    path: '/campaigns/:id/routing',
    component: () => import('../features/campaigns/RoutingPlace.vue'),
    meta: { title: 'Routing' },
  },
  {
    path: '/campaigns/:id/visits',
    component: () => import('../features/campaigns/VisitsPage.vue'),
    meta: { title: 'Visits' },
  },
  {
    // One screen, whether its sheet is new or kept already.
    path: '/set-up/:id?',
    component: () => import('../features/setUp/SetUpPlace.vue'),
    meta: { title: 'Set up', staysFor: '/set-up' },
  },
  { path: '/try', redirect: '/try/link-reader' },
  {
    path: '/try/link-reader',
    component: () => import('../features/tryOut/LinkReaderPage.vue'),
    meta: { title: 'Link reader' },
  },
  {
    path: '/try/link-builder',
    component: () => import('../features/tryOut/LinkBuilderPage.vue'),
    meta: { title: 'Link builder' },
  },
  { path: '/parts', redirect: '/parts/network' },
  {
    path: '/parts/partner/:id/traffic',
    component: () => import('../features/parts/TrafficPage.vue'),
    meta: { title: 'Traffic of a partner' },
  },
  {
    path: '/parts/:kind(network|source|landing-page|offer|event-type|partner)',
    component: () => import('../features/parts/PartsPage.vue'),
    meta: { title: 'Parts' },
  },
  { path: '/conversions', redirect: '/conversions/postbacks-in' },
  {
    path: '/conversions/postbacks-in',
    component: () => import('../features/conversions/PostbacksInPage.vue'),
    meta: { title: 'Postbacks in' },
  },
  {
    path: '/conversions/needs-repair',
    component: () => import('../features/conversions/RepairPage.vue'),
    meta: { title: 'Needs repair' },
  },
  {
    path: '/conversions/all',
    component: () => import('../features/conversions/ConversionListPage.vue'),
    meta: { title: 'Conversions' },
  },
  {
    path: '/conversions/postbacks-out',
    component: () => import('../features/conversions/PostbacksOutPage.vue'),
    meta: { title: 'Postbacks out' },
  },
  {
    path: '/conversions/import',
    component: () => import('../features/conversions/ImportPage.vue'),
    meta: { title: 'Import conversions' },
  },
  {
    path: '/conversions/carry-over',
    component: () => import('../features/conversions/CarryOverPage.vue'),
    meta: { title: 'Carry over click IDs' },
  },
  {
    path: '/conversions/unknown-keys',
    component: () => import('../features/conversions/UnknownKeysPage.vue'),
    meta: { title: 'Unknown keys' },
  },
  { path: '/money', redirect: '/money/cost' },
  {
    path: '/money/cost',
    component: () => import('../features/money/CostPage.vue'),
    meta: { title: 'Cost' },
  },
  {
    path: '/money/cost/file',
    component: () => import('../features/money/CostFilePage.vue'),
    meta: { title: 'Load cost file' },
  },
  {
    path: '/money/feeds',
    component: () => import('../features/money/FeedsPage.vue'),
    meta: { title: 'Feeds' },
  },
  {
    path: '/money/rates',
    component: () => import('../features/money/RatesPage.vue'),
    meta: { title: 'Rates' },
  },
  {
    path: '/money/statements',
    component: () => import('../features/money/StatementsPage.vue'),
    meta: { title: 'Statements' },
  },
  {
    path: '/money/billing',
    component: () => import('../features/money/BillingPage.vue'),
    meta: { title: 'Billing' },
  },
  {
    path: '/money/billing/:id',
    component: () => import('../features/money/StatementPage.vue'),
    meta: { title: 'Statement' },
  },
  {
    path: '/money/decisions',
    component: () => import('../features/money/DecisionsPage.vue'),
    meta: { title: 'Approval and delay' },
  },
  {
    path: '/watches',
    component: () => import('../features/watches/WatchesPage.vue'),
    meta: { title: 'Watches' },
  },
  {
    path: '/watches/notices',
    component: () => import('../features/watches/NoticesPage.vue'),
    meta: { title: 'Notices' },
  },
  {
    path: '/watches/signals',
    component: () => import('../features/watches/SignalsPage.vue'),
    meta: { title: 'Signal watches' },
  },
  {
    path: '/watches/delivery',
    component: () => import('../features/watches/DeliveryPage.vue'),
    meta: { title: 'Delivery' },
  },
  {
    path: '/settings',
    component: () => import('../features/desk/DeskPage.vue'),
    meta: { title: 'Settings' },
  },
  {
    path: '/waiting',
    name: 'waiting',
    component: () => import('./WaitingPage.vue'),
    meta: { title: 'Waiting for the server' },
  },
  { path: '/:anything(.*)', component: () => import('./NotFoundPage.vue'), meta: { title: 'Not found' } },
];

/** Screens for which nobody has to be signed in. */
const OPEN = new Set<unknown>(['sign-in', 'new-password', 'waiting']);

export function makeRouter(session: ReturnType<typeof useSession>): Router {
  const router = createRouter({
    history: createWebHistory(),
    routes,
  });
  router.beforeEach(async (to) => {
    document.title = `${to.meta.title as string} · Tracheon`;
    if (OPEN.has(to.name) || session.me) return true;
    const query = to.fullPath === '/today' ? {} : { to: to.fullPath };
    try {
      await session.load();
      return true;
    } catch (error) {
      // Who is away is waited for; only a missing session leads to the sign-in.
      const isSignedOut = error instanceof ApiError && error.code === 'not_signed_in';
      return { name: isSignedOut ? 'sign-in' : 'waiting', query };
    }
  });
  router.onError((_error, to) => {
    // A screen is loaded when it is first opened: while the server is away, or once a newer one has replaced its files, it can't.
    notLoaded.value = to.fullPath;
  });
  // A navigation that a later one replaced ends too, but shows no screen: what is said of the later one stays.
  router.afterEach((_to, _from, failure) => {
    if (!failure) notLoaded.value = '';
  });
  return router;
}
