/** The API of the partner page: an endpoint is asked by its name in the contract. */
import {
  partnerEndpoints,
  type PartnerEndpointName,
  type PartnerEndpointOf,
} from '@tracheon/core/contract/partnerPage';
import { askBy, type AnswerBy, type Arguments, type Door } from '../base/client.ts';

let csrf = '';
/** The partner that this tab shows; the server refuses what was meant for another one. */
let partner = '';
export const setPartner = (partnerId: string): void => void (partner = partnerId);
let onSignedOut: () => void = () => undefined;
export const setCsrfToken = (token: string): void => void (csrf = token);
export const whenSignedOut = (handler: () => void): void => void (onSignedOut = handler);

const door: Door = {
  headers: (method): Record<string, string> => ({
    ...(method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
    ...(partner === '' ? {} : { 'X-Partner': partner }),
  }),
  onProblem: (problem) => {
    if (problem?.code === 'not_signed_in') onSignedOut();
    // Another tab has switched: what this one shows is of no use any more.
    if (problem?.code === 'other_partner') location.assign('/offers');
  },
};

export async function ask<N extends PartnerEndpointName>(
  name: N,
  ...[given, more]: Arguments<PartnerEndpointOf<N>>
): Promise<AnswerBy<PartnerEndpointOf<N>>> {
  return (await askBy(door, partnerEndpoints[name], given, more?.signal)) as AnswerBy<PartnerEndpointOf<N>>;
}
