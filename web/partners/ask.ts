/** The API of the partner page: an endpoint is asked by its name in the contract. */
import {
  partnerEndpoints,
  type PartnerEndpointName,
  type PartnerEndpointOf,
} from '@tracheon/core/contract/partnerPage';
import { askBy, type AnswerBy, type Arguments, type Door } from '../base/client.ts';

let csrf = '';
let onSignedOut: () => void = () => undefined;
export const setCsrfToken = (token: string): void => void (csrf = token);
export const whenSignedOut = (handler: () => void): void => void (onSignedOut = handler);

const door: Door = {
  headers: (method): Record<string, string> => (method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
  onProblem: (problem) => {
    if (problem?.code === 'not_signed_in') onSignedOut();
  },
};

export async function ask<N extends PartnerEndpointName>(
  name: N,
  ...[given, more]: Arguments<PartnerEndpointOf<N>>
): Promise<AnswerBy<PartnerEndpointOf<N>>> {
  return (await askBy(door, partnerEndpoints[name], given, more?.signal)) as AnswerBy<PartnerEndpointOf<N>>;
}
