/**
 * Every address of the API, once: the server mounts them from here, the OpenAPI document is made from here, and the
 * web app asks by name and reads answers by the same schemas. `least` is the least role; `session` ones are closed to
 * tokens.
 */
import type { z } from 'zod';
import { botEndpoints } from './bots.ts';
import { byHandEndpoints } from './byHand.ts';
import { configurationEndpoints } from './configuration.ts';
import { splitOddsEndpoints } from './splitOdds.ts';
import { costEndpoints } from './costs.ts';
import { cutListEndpoints } from './cutLists.ts';
import { feedEndpoints } from './feeds.ts';
import { keywordEndpoints } from './keywords.ts';
import { looksEndpoints } from './looks.ts';
import { deskEndpoints } from './deskApi.ts';
import type { Endpoint } from './endpoint.ts';
import { carriedEndpoints } from './carriedClicks.ts';
import { importEndpoints } from './imports.ts';
import { placeEndpoints } from './places.ts';
import { partsEndpoints } from './partsApi.ts';
import { postbackOutEndpoints } from './postbacksOut.ts';
import { recentEndpoints } from './recent.ts';
import { repairEndpoints } from './repairs.ts';
import { reportEndpoints } from './reportsApi.ts';
import { ownFigureEndpoints } from './ownFigures.ts';
import { viewEndpoints } from './savedViews.ts';
import { watchEndpoints } from './watches.ts';
import { setupEndpoints } from './setupApi.ts';
import { statementEndpoints } from './statements.ts';
import { sharedRoutingEndpoints } from './sharedRoutings.ts';
import { signalEndpoints } from './signalsApi.ts';
import { signInEndpoints } from './signInApi.ts';

const table = {
  ...setupEndpoints,
  ...signInEndpoints,
  ...deskEndpoints,
  ...botEndpoints,
  ...sharedRoutingEndpoints,
  ...recentEndpoints,
  ...placeEndpoints,
  ...configurationEndpoints,
  ...splitOddsEndpoints,
  ...partsEndpoints,
  ...reportEndpoints,
  ...cutListEndpoints,
  ...viewEndpoints,
  ...ownFigureEndpoints,
  ...repairEndpoints,
  ...byHandEndpoints,
  ...importEndpoints,
  ...carriedEndpoints,
  ...statementEndpoints,
  ...costEndpoints,
  ...feedEndpoints,
  ...watchEndpoints,
  ...keywordEndpoints,
  ...looksEndpoints,
  ...signalEndpoints,
  ...postbackOutEndpoints,
} as const satisfies Record<string, Endpoint>;

export type EndpointName = keyof typeof table;
export type EndpointOf<N extends EndpointName> = (typeof table)[N];
export const endpoints: typeof table = table;
/** The query of an endpoint as the server has it once it is parsed. */
export type ParsedQuery<N extends EndpointName> =
  EndpointOf<N> extends Record<'query', infer S extends z.ZodType> ? z.output<S> : undefined;
