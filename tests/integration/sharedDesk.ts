/** A desk of its own on the shared server, created by its owner, who is signed in. Loads nothing of the server itself. */
import { setImmediate as turn } from 'node:timers/promises';
import pg from 'pg';
import type { Role } from '@tracheon/core/contract';
import { ApiClient } from './apiClient.ts';
import { deskAt, type SharedServer, type TestDesk } from './testDesk.ts';

const PASSWORD = 'a password of twenty';
async function control<T>(path: string, body?: unknown): Promise<T> {
  const origin = process.env.TRACHEON_TEST_SHARED;
  if (!origin) throw new Error('No shared server: run these tests with npm test -- integration.');
  const init = body === undefined ? {} : { method: 'POST', body: JSON.stringify(body) };
  // What was closed while this process was busy is noticed first, here and by every client after.
  for (let turns = 0; turns < 3; turns++) await turn();
  const res = await fetch(origin + path, init);
  if (!res.ok) throw new Error(`shared server: ${await res.text()}`);
  return (await res.json()) as T;
}

export interface SharedDesk extends TestDesk {
  /** `host:port` on which this file may play a partner. */
  partner: (host: string) => { host: string; port: number };
  /** Origin of the partner page. */
  partnerPage: string;
}

export async function makeDesk(): Promise<SharedDesk> {
  const shared = await control<SharedServer>('/');
  const tag = Math.random().toString(36).slice(2);
  const email = `owner-${tag}@desk.test`;
  await control('/desks', { name: 'Owner', email, password: PASSWORD });
  // An address of its own, so that what is limited by address is not used up by other files.
  const address = `198.18.${Math.floor(Math.random() * 256)}.${Math.floor(Math.random() * 256)}`;
  const client = (): ApiClient => new ApiClient(shared.desk, address);
  const owner = client();
  await owner.signIn(email, PASSWORD);
  // A further desk as the product makes it: what keeps desks apart is tried with such ones.
  const further = { name: 'Hobby kits, Ghent', zone: 'Europe/Brussels', currency: 'EUR' };
  const { status, body } = await owner.post<{ id: string }>('/desks', further);
  if (status !== 201) throw new Error(`no further desk: ${JSON.stringify(body)}`);
  const deskId = body.id;
  const pool = new pg.Pool({ connectionString: shared.databaseUrl, max: 3 });
  const desk = deskAt({
    owner,
    ownerEmail: email,
    deskId,
    tracking: shared.tracking,
    pool,
    address,
    isSteady: () => true,
    member: async (role: Role) => {
      const memberEmail = `${role}-${Math.random().toString(36).slice(2)}@desk.test`;
      await control('/members', { deskId, name: role, email: memberEmail, role, password: PASSWORD });
      const member = client();
      await member.signIn(memberEmail, PASSWORD);
      return member;
    },
    close: () => pool.end(),
  });
  return {
    ...desk,
    partnerPage: shared.partnerPage,
    partner: (host) => {
      const lane = Number(process.env.TRACHEON_TEST_LANE ?? 0);
      const pair = shared.partners.filter((p) => p.startsWith(`${host}:`))[lane];
      if (!pair) throw new Error(`the shared server may not reach ${host}`);
      return { host, port: Number(pair.split(':')[1]) };
    },
  };
}
