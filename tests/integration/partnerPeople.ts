/** People of partners, as the desk invites them and as they sign in at the partner page. */
import { expect } from '@jest/globals';
import type { PartRecord, PartnerUser } from '@tracheon/core/contract';
import { partnerEndpoints } from '@tracheon/core/contract/partnerPage';
import { ApiClient } from './apiClient.ts';
import type { SharedDesk } from './sharedDesk.ts';

export const PASSWORD = 'kites over the estuary';
let serial = 0;
export const newEmail = (): string => `ines-${Math.random().toString(36).slice(2)}@avocet.test`;

/** Somebody whom nobody knows yet, from an address of their own. */
export const stranger = (desk: SharedDesk): ApiClient =>
  new ApiClient(
    desk.partnerPage,
    `198.19.${serial++ % 250}.${Math.floor(Math.random() * 250)}`,
    partnerEndpoints,
  );

/** Somebody who signs in for a partner: invited by the desk, with a password chosen by the link. */
export async function person(
  desk: SharedDesk,
  partner: PartRecord<'partner'>,
  email = newEmail(),
): Promise<ApiClient> {
  const invited = await desk.owner.post<{ user: PartnerUser; url: string }>(`/partners/${partner.id}/users`, {
    name: 'Ines',
    email,
  });
  expect(invited.status).toBe(201);
  const client = stranger(desk);
  const { url } = invited.body;
  if (url !== '') {
    expect(url.startsWith(`${desk.partnerPage}/new-password#`)).toBe(true);
    const chosen = await client.post('/new-password', { secret: url.split('#')[1], password: PASSWORD });
    expect(chosen.status).toBe(200);
  }
  expect((await client.signIn(email, PASSWORD)).status).toBe(200);
  return client;
}
