/** That a session is in use is written now and then, not with each answer. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { Cookie, type SessionData } from 'express-session';
import { SessionStore } from '../../server/accounts/sessionStore.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';

const MINUTE_MS = 60_000;
const LASTS_MS = 14 * 24 * 60 * MINUTE_MS;
const sid = `in-use-${Math.random()}`;
let desk: SharedDesk;
let store: SessionStore;
let nowMs = Date.now();
beforeAll(async () => {
  desk = await makeDesk();
  store = new SessionStore(
    { pool: desk.pool, tableName: 'session', pruneSessionInterval: false },
    () => nowMs,
  );
});
afterAll(async () => {
  store.close();
  await desk.pool.query('DELETE FROM session WHERE sid = $1', [sid]);
  await desk.close();
});

const data = (): SessionData => {
  const cookie = new Cookie();
  cookie.expires = new Date(nowMs + LASTS_MS);
  return { cookie, memberId: 'm' } as SessionData;
};
/** Used once; answers how many minutes after the beginning it lasts to. */
async function used(): Promise<number> {
  await new Promise<void>((done, fail) =>
    store.touch(sid, data(), (error) => (error ? fail(error as Error) : done())),
  );
  const { rows } = await desk.pool.query<{ at: Date }>('SELECT expire AS at FROM session WHERE sid = $1', [
    sid,
  ]);
  return Math.round((rows[0]!.at.getTime() - LASTS_MS - begunMs) / MINUTE_MS);
}
const begunMs = nowMs;

it('lasts on while it is used, by one write an hour', async () => {
  await new Promise<void>((done, fail) =>
    store.set(sid, data(), (error) => (error ? fail(error as Error) : done())),
  );
  nowMs = begunMs + 5 * MINUTE_MS;
  expect(await used()).toBe(5);
  nowMs = begunMs + 60 * MINUTE_MS;
  expect(await used()).toBe(5);
  nowMs = begunMs + 70 * MINUTE_MS;
  expect(await used()).toBe(70);
  // A clock that was set back does not keep it from being written.
  nowMs = begunMs - 300 * MINUTE_MS;
  expect(await used()).toBe(-300);
});

it('is written at the next use when it could not be', async () => {
  nowMs = begunMs + 200 * MINUTE_MS;
  const away = new SessionStore(
    { pool: desk.pool, tableName: 'no_such_table', pruneSessionInterval: false },
    () => nowMs,
  );
  const tryOnce = (): Promise<unknown> =>
    new Promise((done) => {
      away.touch(sid, data(), done);
    });
  expect(await tryOnce()).toBeInstanceOf(Error);
  expect(await tryOnce()).toBeInstanceOf(Error);
  away.close();
});

it('is not written with each answer of the server', async () => {
  const client = await desk.member('viewer');
  expect((await client.get('/me')).status).toBe(200);
  const own = /=s%3A([^.]+)\./.exec(client.cookie)![1]!;
  const earlier = await desk.pool.query(
    `UPDATE session SET expire = now() + interval '1 day' WHERE sid = $1 RETURNING expire`,
    [decodeURIComponent(own)],
  );
  expect(earlier.rowCount).toBe(1);
  expect((await client.get('/me')).status).toBe(200);
  const { rows } = await desk.pool.query('SELECT expire FROM session WHERE sid = $1', [
    decodeURIComponent(own),
  ]);
  expect(rows).toEqual(earlier.rows);
});
