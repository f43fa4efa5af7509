import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type pg from 'pg';
import { makeUlid, clickIdDay } from '@tracheon/core/identity';
import { makeFirstDesk } from '../../server/accounts/accounts.ts';
import { migrate, migrations } from '../../server/db/migrate.ts';
import { defineModels, openSequelize } from '../../server/db/models.ts';
import {
  DAYS_AHEAD,
  DAYS_BACK,
  dropOldAddresses,
  ensurePartitions,
  isoDay,
  keepPartitions,
  partitionedTables,
} from '../../server/db/partitions.ts';
import { openPool } from '../../server/db/pools.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';

let database: FreshDatabase;
let pool: pg.Pool;
beforeAll(async () => {
  database = await freshDatabase({ migrated: false });
  pool = openPool(database.url, 'test', 4);
});
afterAll(async () => {
  await pool.end();
  await database.drop();
});

it('full addresses of days beyond their time are dropped; the visits of those days stay', async () => {
  const other = await freshDatabase({ migrated: false });
  const [s, p] = [openSequelize(other.url), openPool(other.url, 'test', 1)];
  await migrate(s);
  const now = Date.UTC(2026, 10, 25, 12);
  await ensurePartitions(p, now - 33 * 86_400_000, now);
  expect(await dropOldAddresses(p, now, 30)).toEqual(
    ['20261023', '20261024', '20261025'].map((d) => `visit_addresses_${d}`),
  );
  expect(await dropOldAddresses(p, now, 30)).toEqual([]);
  const { rows } = await p.query(
    `SELECT to_regclass('visits_20261023') AS visits, to_regclass('visit_addresses_20261026') AS kept`,
  );
  expect(rows[0]).toEqual({ visits: 'visits_20261023', kept: 'visit_addresses_20261026' });
  await p.end();
  await s.close();
  await other.drop();
});

describe('migrations', () => {
  it('renames what is stored under earlier names, and back', async () => {
    const other = await freshDatabase({ migrated: false });
    const p = openPool(other.url, 'test', 1);
    const at = migrations.findIndex((m) => m.name === '0008-plain-names');
    for (const m of migrations.slice(0, at)) await p.query(m.up);
    await p.query(`INSERT INTO desks (id, name, zone, currency) VALUES ('D', 'Desk', 'UTC', 'EUR')`);
    const bodies: Record<string, object> = {
      source: { name: 'S', macroShape: '[x]', tellStatuses: ['approved'], tellShare: 80 },
      offer: { name: 'O', sending: 'stopped', truths: [{ eventTypeId: 'E', channel: 'calls' }] },
      campaign: { name: 'C' },
    };
    for (const [kind, body] of Object.entries(bodies)) {
      const state = kind === 'campaign' ? 'stopped' : 'live';
      await p.query(
        `INSERT INTO parts (id, desk_id, kind, name, key, state, version, body, created_at, updated_at)
         VALUES ($1, 'D', $1, $1, '', $2, 1, $3, now(), now())`,
        [kind, state, body],
      );
    }
    const stored = async () =>
      (
        await p.query<{ kind: string; state: string; body: object }>(
          'SELECT kind, state, body FROM parts ORDER BY kind',
        )
      ).rows;
    const before = await stored();
    await p.query(migrations[at]!.up);
    expect(await stored()).toEqual([
      { kind: 'campaign', state: 'paused', body: { name: 'C' } },
      {
        kind: 'offer',
        state: 'live',
        body: { name: 'O', sending: 'paused', conversionsFrom: [{ eventTypeId: 'E', channel: 'postbacks' }] },
      },
      {
        kind: 'source',
        state: 'live',
        body: { name: 'S', macroStyle: '[x]', reportStatuses: ['approved'], reportedShare: 80 },
      },
    ]);
    await p.query(migrations[at]!.down);
    expect(await stored()).toEqual(before);
    await p.end();
    await other.drop();
  });

  it('run once, also when several processes start together, and come back down', async () => {
    const all = [1, 2, 3].map(() => openSequelize(database.url));
    const made = await Promise.all(all.map((s) => migrate(s)));
    const names = migrations.map((m) => m.name);
    expect(names.length).toBeGreaterThan(1);
    expect(made.filter((some) => some.length > 0)).toEqual([names]);
    for (const m of [...migrations].reverse()) await pool.query(m.down);
    const left = await pool.query(
      `SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r','p') AND relname <> 'migrations'`,
    );
    expect(left.rows).toEqual([]);
    await pool.query('DROP TABLE migrations');
    expect(await migrate(all[0]!)).toEqual(names);
    await Promise.all(all.map((s) => s.close()));
  });

  it('that fail say which one, and leave nothing of it', async () => {
    const other = await freshDatabase({ migrated: false });
    const p = openPool(other.url, 'test', 1);
    const s = openSequelize(other.url);
    try {
      await p.query('CREATE TABLE outbox (x int)');
      await expect(migrate(s)).rejects.toThrow(/0001-ground failed .*outbox.* No change was kept/);
      const { rows } = await p.query(
        `SELECT count(*)::int AS n FROM pg_class WHERE relname IN ('visits', 'desks')`,
      );
      expect(rows).toEqual([{ n: 0 }]);
    } finally {
      await s.close();
      await p.end();
      await other.drop();
    }
  });

  it('make the first desk and its owner once, with an event type', async () => {
    const s = openSequelize(database.url);
    const models = defineModels(s);
    const first = {
      name: 'D',
      zone: 'UTC',
      currency: 'EUR',
      isDemo: false,
      owner: { name: 'O', email: 'o@desk.test' },
    };
    const made = await Promise.all([makeFirstDesk(models, first), makeFirstDesk(models, first)]);
    expect(made.filter((m) => m !== null).length).toBe(1);
    expect((await pool.query(`SELECT count(*)::int AS n FROM parts WHERE kind = 'event-type'`)).rows).toEqual(
      [{ n: 1 }],
    );
    await s.close();
  });
});

describe('day partitions', () => {
  const now = Date.parse('2026-11-25T23:59:00Z');
  it('are made ahead once, however often it is asked for', async () => {
    expect(await keepPartitions(pool, now)).toBe(partitionedTables.length * (DAYS_AHEAD + DAYS_BACK + 1));
    expect(await keepPartitions(pool, now)).toBe(0);
  });

  it('the identity of a conversion is unique in the database itself', async () => {
    const insert = (id: string) =>
      pool.query(
        `INSERT INTO conversions (id, desk_id, owner, event_type_id, ident, is_test, status, payout_micros, currency, converted_at, click_id, visit_at, campaign_id, source_id, offer_id, network_id)
         VALUES ($1, 'd', 'v', 'e', '', false, 'approved', 1, 'EUR', now(), 'v', now(), 'c', 's', 'o', 'n')`,
        [id],
      );
    await insert('1');
    await expect(insert('2')).rejects.toMatchObject({ code: '23505', constraint: 'conversions_identity' });
  });
});

it('a day is the UTC day of the click ID', () => {
  expect(isoDay(Date.parse('2026-11-25T23:59:59.999Z'))).toBe('2026-11-25');
  expect(clickIdDay(makeUlid(Date.parse('2026-11-26T00:00:00Z'), Array(16).fill(0)))).toBe('2026-11-26');
});
