/** The desk's API: an endpoint is asked by its name in the contract. */
import { firstEndpoints, type Endpoint, type EndpointName, type EndpointOf } from '@tracheon/core/contract';
import type { z } from 'zod';
import {
  ApiError,
  askBy,
  queryText,
  send,
  UNREACHABLE,
  type AnswerBy,
  type Arguments,
  type AskedBy,
  type Door,
} from '../base/client.ts';

export { ApiError, type Waiting } from '../base/client.ts';

let csrf = '';
let onSignedOut: () => void = () => undefined;
export const setCsrfToken = (token: string): void => void (csrf = token);
/** The desk that this tab shows; the server refuses what was meant for another one. */
let desk = '';
export const setDesk = (deskId: string): void => void (desk = deskId);
export const whenSignedOut = (handler: () => void): void => void (onSignedOut = handler);

const door: Door = {
  headers: (method) => ({
    ...(method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
    ...(desk === '' ? {} : { 'X-Desk': desk }),
  }),
  onProblem: (problem) => {
    if (problem?.code === 'not_signed_in') onSignedOut();
    // Another tab has switched: what this one shows is of no use any more.
    if (problem?.code === 'other_desk') location.assign('/today');
  },
};

export type AskedWith<N extends EndpointName> = AskedBy<EndpointOf<N>>;
/** The query that an endpoint takes. */
export type QueryOf<N extends EndpointName> = AskedWith<N> extends { query: infer Q } ? Q : never;
export type AnswerOf<N extends EndpointName> = AnswerBy<EndpointOf<N>>;

/** Most of the contract is loaded when a screen first asks for it. */
async function endpointOf(name: EndpointName): Promise<Endpoint> {
  if (name in firstEndpoints) return firstEndpoints[name as keyof typeof firstEndpoints];
  const { lateEndpoints } = await import('@tracheon/core/contract/late').catch(() => {
    throw new ApiError('unreachable', UNREACHABLE);
  });
  return lateEndpoints[name as keyof typeof lateEndpoints];
}

/** Throws an ApiError: what the server refused, in words to show, or `unreachable`. */
export async function ask<N extends EndpointName>(
  name: N,
  ...[given, more]: Arguments<EndpointOf<N>>
): Promise<AnswerOf<N>> {
  return (await askBy(door, await endpointOf(name), given, more?.signal)) as AnswerOf<N>;
}

/** A file, as it is. */
export async function uploadFile<N extends 'uploadImport' | 'uploadCostFile' | 'loadRates'>(
  name: N,
  query: QueryOf<N> | null,
  file: Blob,
): Promise<AnswerOf<N>> {
  const endpoint = await endpointOf(name);
  const res = await send(door, 'POST', `/api${endpoint.path}${queryText(query)}`, file);
  return (endpoint.answer as z.ZodType<AnswerOf<N>>).parse(await res.json());
}
