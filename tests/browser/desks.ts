/** The desk that a file of browser tests works on, and its owner, signed in. */
import { randomBytes } from 'node:crypto';
import pg from 'pg';
import { hashCheaply, hashPassword } from '../../server/accounts/passwords.ts';
import type { PartnerSet, WholeSystem } from './wholeSystem.ts';

hashCheaply();

export interface BrowserDesk extends WholeSystem {
  deskId: string;
  /** Session cookie of the owner, made once for the file. */
  cookie: { name: string; value: string };
}

/** The running system, with the practice partners of a set. */
function running(which: PartnerSet): WholeSystem {
  const all = process.env.TRACHEON_BROWSER_SYSTEMS;
  if (!all) throw new Error('No running system: run these tests with npm test -- browser.');
  return (JSON.parse(all) as Record<string, WholeSystem>)[which]!;
}

async function signedIn(system: WholeSystem): Promise<BrowserDesk['cookie']> {
  const res = await fetch(`${system.desk}/api/sign-in`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', Origin: system.desk },
    body: JSON.stringify({ email: system.email, password: system.password }),
  });
  const pair = /^([^=]+)=([^;]+)/.exec(res.headers.get('set-cookie') ?? '');
  if (!pair) throw new Error(`cannot sign in: ${res.status} ${await res.text()}`);
  return { name: pair[1]!, value: pair[2]! };
}

export async function demoDesk(): Promise<BrowserDesk> {
  const system = running('demo');
  return { ...system, deskId: '', cookie: await signedIn(system) };
}

/** Crockford's alphabet, as IDs here are written; older than any other, so that its event type is the desk's first. */
const newId = (): string =>
  `${'0'.repeat(10)}${[...randomBytes(16)].map((b) => '0123456789ABCDEFGHJKMNPQRSTVWXYZ'[b % 32]).join('')}`;

/** A new desk with its owner and the default event type, as the program makes one. */
export async function emptyDesk(on: PartnerSet = 'second'): Promise<BrowserDesk> {
  const system = running(on);
  const [deskId, memberId, eventId] = [newId(), newId(), newId()];
  const email = `owner-${deskId.toLowerCase()}@desk.test`;
  const password = randomBytes(12).toString('hex');
  const sale = {
    name: 'Sale',
    word: 'sale',
    repeats: false,
    countsAsConversion: true,
    countsAsRevenue: true,
  };
  const client = new pg.Client({ connectionString: system.databaseUrl });
  await client.connect();
  await client.query(
    `INSERT INTO desks (id, name, zone, currency) VALUES ($1, 'My desk', 'Europe/Brussels', 'EUR')`,
    [deskId],
  );
  await client.query('INSERT INTO members (id, name, email, password_hash) VALUES ($1, $2, $3, $4)', [
    memberId,
    'Owner',
    email,
    await hashPassword(password),
  ]);
  await client.query(`INSERT INTO memberships (desk_id, member_id, role) VALUES ($1, $2, 'owner')`, [
    deskId,
    memberId,
  ]);
  await client.query(
    `INSERT INTO parts (id, desk_id, kind, name, key, state, version, body, created_at, updated_at)
     VALUES ($1, $2, 'event-type', 'Sale', '', 'live', 1, $3, now(), now())`,
    [eventId, deskId, sale],
  );
  await client.query(
    `INSERT INTO part_versions (part_id, version, desk_id, body, state, changed_by, changed_at)
     VALUES ($1, 1, $2, $3, 'live', $4, now())`,
    [eventId, deskId, sale, memberId],
  );
  // The running server learns of records by this bell only.
  await client.query('INSERT INTO configurations (desk_id, version) VALUES ($1, 1)', [deskId]);
  await client.end();
  const own = { ...system, email, password };
  return { ...own, deskId, cookie: await signedIn(own) };
}
