/** The API, put together from the features' routes; each mounts its endpoints of the contract. */
import { Router } from 'express';
import { accountRoutes } from '../accounts/accountRoutes.ts';
import { deskRoutes } from '../accounts/deskRoutes.ts';
import { requireMember } from '../accounts/requireMember.ts';
import { signInRoutes } from '../accounts/signInRoutes.ts';
import { domainRoutes, type ChecksDomains } from '../domains/domainRoutes.ts';
import type { ApiGround } from '../http/ground.ts';
import { mounter, type Mount } from '../http/mount.ts';
import { documentRoutes } from '../http/openApi.ts';
import { checkOrigin } from '../http/security.ts';
import { previewRoutes } from '../intake/previewPostback.ts';
import { rateRoutes } from '../rates/rateRoutes.ts';
import { importRoutes } from '../imports/importRoutes.ts';
import type { Judges } from '../intake/judge.ts';
import { postbackRoutes } from '../repairs/postbackRoutes.ts';
import { secretRoutes } from '../secrets/secretRoutes.ts';
import { repairRoutes, type Repairs } from '../repairs/repairRoutes.ts';
import { notifyRoutes, type BuildsAgain } from '../notify/notifyRoutes.ts';
import { pageRoutes, type FetchesPages } from '../pages/pageRoutes.ts';
import { changeRoutes } from '../parts/changeRoutes.ts';
import { sharedRoutingRoutes } from '../parts/sharedRoutingRoutes.ts';
import { partRoutes } from '../parts/partRoutes.ts';
import { privacyRoutes } from '../privacy/privacyRoutes.ts';
import { accessRoutes } from '../partners/accessRoutes.ts';
import { billingRoutes } from '../billing/billingRoutes.ts';
import { ownFigureRoutes } from '../savedViews/ownFigureRoutes.ts';
import { viewRoutes } from '../savedViews/viewRoutes.ts';
import { cutListRoutes } from '../cutLists/cutListRoutes.ts';
import { costRoutes } from '../costs/costRoutes.ts';
import { feedRoutes } from '../feeds/feedRoutes.ts';
import { numbersRoutes } from '../numbers/numbersRoutes.ts';
import { reportRoutes, type ReportDeps } from '../reports/reportRoutes.ts';
import { recentRoutes, type RecentDeps } from '../recent/recentRoutes.ts';
import { oddsRoutes } from '../odds/oddsRoutes.ts';
import { snapshotRoutes } from '../snapshot/snapshotRoutes.ts';
import { keywordRoutes } from '../keywords/keywordRoutes.ts';
import { lookRoutes } from '../looks/lookRoutes.ts';
import { setupRoutes, type SetupDeps } from '../setup/setupRoutes.ts';
import { placeRoutes, type KnowsPlaces } from '../places/placeRoutes.ts';
import type { NewsDesk } from '../stream/news.ts';
import { statementRoutes } from '../statements/statementRoutes.ts';
import { streamRoutes } from '../stream/streamRoutes.ts';
import { noticeRoutes } from '../notices/noticeRoutes.ts';
import { signalWatchRoutes, type LooksForSignals } from '../signalWatches/signalRoutes.ts';
import { watchRoutes } from '../watches/watchRoutes.ts';
import { jsonBodies, neverStored } from './webApp.ts';

export type ApiDeps = ApiGround &
  Judges &
  Repairs &
  BuildsAgain &
  FetchesPages &
  ChecksDomains &
  LooksForSignals &
  KnowsPlaces &
  ReportDeps &
  RecentDeps &
  SetupDeps & { news: NewsDesk };

/** In this order: express takes the first path that fits. */
const features: readonly ((mount: Mount, deps: ApiDeps) => void)[] = [
  accountRoutes,
  streamRoutes,
  deskRoutes,
  snapshotRoutes,
  rateRoutes,
  previewRoutes,
  domainRoutes,
  pageRoutes,
  partRoutes,
  sharedRoutingRoutes,
  changeRoutes,
  reportRoutes,
  numbersRoutes,
  costRoutes,
  feedRoutes,
  watchRoutes,
  signalWatchRoutes,
  noticeRoutes,
  cutListRoutes,
  viewRoutes,
  billingRoutes,
  accessRoutes,
  ownFigureRoutes,
  oddsRoutes,
  recentRoutes,
  placeRoutes,
  privacyRoutes,
  repairRoutes,
  importRoutes,
  statementRoutes,
  postbackRoutes,
  notifyRoutes,
  secretRoutes,
  setupRoutes,
  lookRoutes,
  keywordRoutes,
];

export function apiRouter(deps: ApiDeps): Router {
  const { config, models, pool, now } = deps;
  const api = Router();
  api.use(neverStored);
  documentRoutes(api, config.desk.origin);
  api.use(checkOrigin(config.desk.origin));
  api.use(jsonBodies());
  const mount = mounter(api, { pool, secret: config.secret });
  signInRoutes(mount, deps);
  api.use(requireMember(models, pool, config.secret, now));
  for (const routes of features) routes(mount, deps);
  return api;
}
