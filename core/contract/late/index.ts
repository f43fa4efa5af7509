/** Endpoints that no first screen asks: the web app loads this table, and the schemas behind it, when it needs one of them. */
import type { Endpoint } from '../endpoint.ts';
import { cutListEndpoints } from '../cutLists.ts';
import { ownFigureEndpoints } from '../ownFigures.ts';
import { repairEndpoints } from '../repairs.ts';
import { byHandEndpoints } from '../byHand.ts';
import { importEndpoints } from '../imports.ts';
import { carriedEndpoints } from '../carriedClicks.ts';
import { statementEndpoints } from '../statements.ts';
import { billingEndpoints } from '../billing.ts';
import { costEndpoints } from '../costs.ts';
import { feedEndpoints } from '../feeds.ts';
import { noticeEndpoints } from '../notices.ts';
import { signalWatchEndpoints } from '../signalWatches.ts';
import { watchEndpoints } from '../watchesApi.ts';
import { keywordEndpoints } from '../keywords.ts';
import { looksEndpoints } from '../looks.ts';
import { botEndpoints } from '../bots.ts';
import { sharedRoutingEndpoints } from '../sharedRoutings.ts';
import { splitOddsEndpoints } from '../splitOdds.ts';
import { setupEndpoints } from '../setupApi.ts';
import { viewEndpoints } from '../savedViews.ts';
import { postbackOutEndpoints } from '../postbacksOut.ts';
import { configurationEndpoints } from '../configuration.ts';
import { offerAccessEndpoints } from '../offerAccessApi.ts';
import { partnerQualityEndpoints } from '../partnerQuality.ts';
import { placeEndpoints } from '../places.ts';

export const lateEndpoints = {
  ...cutListEndpoints,
  ...ownFigureEndpoints,
  ...repairEndpoints,
  ...byHandEndpoints,
  ...importEndpoints,
  ...carriedEndpoints,
  ...statementEndpoints,
  ...billingEndpoints,
  ...costEndpoints,
  ...feedEndpoints,
  ...watchEndpoints,
  ...signalWatchEndpoints,
  ...noticeEndpoints,
  ...keywordEndpoints,
  ...looksEndpoints,
  ...botEndpoints,
  ...sharedRoutingEndpoints,
  ...splitOddsEndpoints,
  ...setupEndpoints,
  ...viewEndpoints,
  ...postbackOutEndpoints,
  ...configurationEndpoints,
  ...placeEndpoints,
  ...offerAccessEndpoints,
  ...partnerQualityEndpoints,
} as const satisfies Record<string, Endpoint>;
