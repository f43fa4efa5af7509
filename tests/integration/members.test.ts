/** Members, their sessions and streams, passwords, tokens, and desks beside each other. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  MadeToken,
  Me,
  MemberRow,
  PartRecord,
  Problem,
  SessionRow,
  TokenRow,
} from '@tracheon/core/contract';
import { ApiClient } from './apiClient.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until } from './testDesk.ts';

let desk: SharedDesk;
let other: SharedDesk;
beforeAll(async () => {
  [desk, other] = [await makeDesk(), await makeDesk()];
});
afterAll(() => Promise.all([desk.close(), other.close()]));

const PASSWORD = 'a password of twenty';
const NEW_PASSWORD = 'mossy jar on the sill';
const meOf = async (client: ApiClient): Promise<Me> => (await client.get<Me>('/me')).body;
const fresh = (): ApiClient => new ApiClient(desk.owner.origin, '198.18.7.7');

/** Resolves when the stream has ended. */
async function openStream(client: ApiClient, headers: Record<string, string> = { Cookie: client.cookie }) {
  const res = await fetch(`${client.origin}/api/stream`, { headers });
  expect(res.status).toBe(200);
  const state = { isOpen: true };
  void res
    .text()
    .catch(() => undefined)
    .then(() => (state.isOpen = false));
  return state;
}
const ended = (stream: { isOpen: boolean }): Promise<void> =>
  until(() => Promise.resolve(!stream.isOpen), 'the stream to end');

describe('a member', () => {
  it('who is removed is out at once: session, stream and tokens', async () => {
    const editor = await desk.member('editor');
    const { member } = await meOf(editor);
    const { token } = (await editor.post<MadeToken>('/tokens', { name: 'reports', scope: 'read' })).body;
    const bearer = { Authorization: `Bearer ${token}` };
    const streams = [await openStream(editor), await openStream(editor, bearer)];
    expect((await desk.owner.remove(`/members/${member.id}`)).status).toBe(200);
    for (const stream of streams) await ended(stream);
    expect((await editor.get('/me')).status).toBe(401);
    expect((await fresh().ask('GET', '/me', undefined, bearer)).status).toBe(401);
    expect((await fresh().signIn(member.email, PASSWORD)).status).toBe(401);
    expect((await desk.owner.get<MemberRow[]>('/members')).body.map((m) => m.id)).not.toContain(member.id);
    expect((await desk.owner.remove(`/members/${member.id}`)).status).toBe(404);
  });

  it('whose role is lowered signs in again, and may do less at once; one whose role is raised goes on', async () => {
    const editor = await desk.member('editor');
    const { member } = await meOf(editor);
    const stream = await openStream(editor);
    const set = (role: string) => desk.owner.put(`/members/${member.id}/role`, { role });
    expect((await set('viewer')).status).toBe(200);
    await ended(stream);
    expect((await editor.get('/me')).status).toBe(401);
    await editor.signIn(member.email, PASSWORD);
    expect((await editor.post<Problem>('/parts/event-type', {})).body.code).toBe('role_too_small');
    expect((await set('editor')).status).toBe(200);
    expect((await meOf(editor)).role).toBe('editor');
  });

  it('that is the last owner can neither be removed nor lowered, also by two at once', async () => {
    const { member } = await meOf(desk.owner);
    expect((await desk.owner.remove<Problem>(`/members/${member.id}`)).body.code).toBe('last_owner');
    const second = await desk.member('owner');
    const secondId = (await meOf(second)).member.id;
    const both = await Promise.all([
      desk.owner.remove(`/members/${secondId}`),
      desk.owner.put(`/members/${member.id}/role`, { role: 'viewer' }),
    ]);
    expect(both.filter((r) => r.status === 200)).toHaveLength(1);
    const { rows } = await desk.pool.query(
      `SELECT count(*)::int AS n FROM memberships WHERE desk_id = $1 AND role = 'owner'`,
      [desk.deskId],
    );
    expect(rows[0].n).toBe(1);
    await desk.pool.query(`UPDATE memberships SET role = 'owner' WHERE desk_id = $1 AND member_id = $2`, [
      desk.deskId,
      member.id,
    ]);
    await desk.owner.signIn(desk.ownerEmail, PASSWORD);
  });

  it('chooses a new password by a link of an owner, which works once and ends all sessions', async () => {
    const viewer = await desk.member('viewer');
    const { member } = await meOf(viewer);
    const token = (days: number, endsWithPassword: boolean) =>
      viewer.post<MadeToken>('/tokens', { name: `t${days}`, days, endsWithPassword });
    const [kept, gone] = [(await token(0, false)).body, (await token(7, true)).body];
    const make = () =>
      desk.owner.post<{ url: string; expiresAt: string }>(`/members/${member.id}/password-link`);
    const old = (await make()).body;
    const { url, expiresAt } = (await make()).body;
    expect(url).toMatch(/\/new-password#[\w-]{32}$/);
    expect(Date.parse(expiresAt)).toBeGreaterThan(Date.now());
    const use = (link: string, password: string) =>
      fresh().post<Problem>('/new-password', { secret: link.split('#')[1], password });
    // A newer link makes the older one worthless; a bad password uses nothing up.
    expect((await use(old.url, NEW_PASSWORD)).body.code).toBe('link_used');
    expect((await use(url, 'password1234')).body.fields![0]!.path).toBe('password');
    expect((await use(url, NEW_PASSWORD)).status).toBe(200);
    expect((await use(url, NEW_PASSWORD)).body.code).toBe('link_used');
    expect((await viewer.get('/me')).status).toBe(401);
    expect((await fresh().signIn(member.email, PASSWORD)).status).toBe(401);
    expect((await viewer.signIn(member.email, NEW_PASSWORD)).status).toBe(200);
    const asToken = async ({ token: text }: MadeToken) =>
      (await fresh().ask('GET', '/me', undefined, { Authorization: `Bearer ${text}` })).status;
    expect([await asToken(kept), await asToken(gone)]).toEqual([200, 401]);
    // The link is kept as a hash only.
    const { rows } = await desk.pool.query('SELECT * FROM password_links');
    expect(JSON.stringify(rows)).not.toContain(url.split('#')[1]);
  });

  it('sees its sessions, ends them, and is signed out after 30 days at the latest', async () => {
    const viewer = await desk.member('viewer');
    const { email } = (await meOf(viewer)).member;
    const phone = fresh();
    await phone.signIn(email, PASSWORD);
    const sessions = async () => (await viewer.get<SessionRow[]>('/me/sessions')).body;
    expect((await sessions()).map((s) => s.isCurrent).sort()).toEqual([false, true]);
    expect((await sessions())[0]!.addressPrefix).toMatch(/^198\.18\.\d+\.0\/24$/);
    const stream = await openStream(phone);
    const foreign = (await sessions()).find((s) => !s.isCurrent)!;
    // Nobody ends another's.
    expect((await desk.owner.remove(`/me/sessions/${foreign.id}`)).status).toBe(404);
    expect((await viewer.remove(`/me/sessions/${foreign.id}`)).status).toBe(200);
    await ended(stream);
    expect((await phone.get('/me')).status).toBe(401);
    // A request that is under way while its session is ended does not bring it back, though it would note its use.
    await phone.signIn(email, PASSWORD);
    const [own] = (await sessions()).filter((s) => !s.isCurrent);
    await desk.pool.query(
      `UPDATE session SET sess = jsonb_set(sess::jsonb, '{info,seenMs}', '1')::json WHERE sess->'info'->>'id' = $1`,
      [own!.id],
    );
    const locked = await desk.pool.connect();
    await locked.query('BEGIN');
    await locked.query('LOCK TABLE memberships IN ACCESS EXCLUSIVE MODE');
    const underWay = phone.get('/me');
    await until(async () => {
      const { rows } = await desk.pool.query(
        `SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`,
      );
      return rows.length > 0;
    }, 'the request to wait');
    await locked.query(`DELETE FROM session WHERE sess->'info'->>'id' = $1`, [own!.id]);
    await locked.query('COMMIT');
    locked.release();
    await underWay;
    expect((await phone.get('/me')).status).toBe(401);
    const shift = (days: number) =>
      desk.pool.query(
        `UPDATE session SET sess = jsonb_set(sess::jsonb, '{info,startedMs}', to_jsonb($2::float8))::json
         WHERE sess->'info'->>'id' = $1`,
        [current.id, Date.now() - days * 86_400_000],
      );
    const current = (await sessions())[0]!;
    await shift(29.9);
    expect((await viewer.get('/me')).status).toBe(200);
    await shift(30.1);
    expect((await viewer.get('/me')).status).toBe(401);
  });

  it('signs in at most so often wrongly a minute, from however many addresses', async () => {
    const viewer = await desk.member('viewer');
    const { email } = (await meOf(viewer)).member;
    const answers: number[] = [];
    for (let n = 0; n < 25; n++)
      answers.push((await new ApiClient(desk.owner.origin, `198.51.100.${n}`).signIn(email, 'wrong')).status);
    expect([answers[0], answers.at(-1)]).toEqual([401, 429]);
    expect(answers.filter((s) => s === 401)).toHaveLength(20);
    // Others sign in as before.
    expect((await fresh().signIn(desk.ownerEmail, PASSWORD)).status).toBe(200);
  });
});

describe('a token', () => {
  it('ends on its day, and has at most fifty beside it, also when all are asked for at once', async () => {
    const editor = await desk.member('editor');
    const made = (await editor.post<MadeToken>('/tokens', { name: 'week', days: 7 })).body;
    expect(Date.parse(made.expiresAt!) - Date.now()).toBeGreaterThan(6.9 * 86_400_000);
    const use = async () =>
      (await fresh().ask('GET', '/me', undefined, { Authorization: `Bearer ${made.token}` })).status;
    expect(await use()).toBe(200);
    const stream = await openStream(editor, { Authorization: `Bearer ${made.token}` });
    await desk.pool.query(`UPDATE api_tokens SET expires_at = now() - interval '1 second' WHERE id = $1`, [
      made.id,
    ]);
    expect(await use()).toBe(401);
    expect(stream.isOpen).toBe(true);
    expect((await editor.remove(`/tokens/${made.id}`)).status).toBe(200);
    await ended(stream);
    const all = await Promise.all(
      Array.from({ length: 60 }, (_, n) => editor.post('/tokens', { name: `n${n}`, days: 0 })),
    );
    expect(all.filter((r) => r.status === 201)).toHaveLength(50);
    expect((await editor.get<TokenRow[]>('/tokens')).body).toHaveLength(50);
  });
});

describe('a second desk', () => {
  it('is made by an owner, has records of its own, and is switched to and from', async () => {
    const owner = fresh();
    await owner.signIn(other.ownerEmail, PASSWORD);
    const before = await meOf(owner);
    const made = await owner.post<{ id: string; name: string }>('/desks', {
      name: 'Desk of lamps',
      zone: 'Asia/Kathmandu',
      currency: 'USD',
    });
    expect([made.status, made.body.name]).toEqual([201, 'Desk of lamps']);
    const there = await meOf(owner);
    expect([there.desk.id, there.role, there.desks.map((d) => d.name)]).toEqual([
      made.body.id,
      'owner',
      ['Desk of lamps', ...before.desks.map((d) => d.name)],
    ]);
    // Its own event type and nothing of the other desk.
    const parts = (await owner.get<PartRecord[]>('/parts/event-type')).body;
    expect(parts.map((p) => p.body.name)).toEqual(['Sale']);
    expect((await owner.get<PartRecord[]>('/parts/campaign')).body).toEqual([]);
    const here = await other.chain();
    expect((await owner.get(`/parts/campaign/${here.campaign.id}`)).status).toBe(404);
    const stream = await openStream(owner);
    expect((await owner.put('/me/desk', { deskId: before.desk.id })).status).toBe(200);
    // News of the other desk are not heard here.
    await ended(stream);
    expect((await owner.get(`/parts/campaign/${here.campaign.id}`)).status).toBe(200);
    expect((await owner.put('/me/desk', { deskId: desk.deskId })).status).toBe(404);
    // The next sign-in leads to the desk used last.
    await owner.put('/me/desk', { deskId: made.body.id });
    const again = fresh();
    await again.signIn(other.ownerEmail, PASSWORD);
    expect((await meOf(again)).desk.id).toBe(made.body.id);
    await again.put('/me/desk', { deskId: before.desk.id });
  });

  it('refuses what a tab of another desk sends', async () => {
    const owner = fresh();
    await owner.signIn(other.ownerEmail, PASSWORD);
    const { desk: here } = await meOf(owner);
    const body = { name: 'Sign-up', word: 'signup' };
    const as = (shown: string) => owner.ask<Problem>('POST', '/parts/event-type', body, { 'X-Desk': shown });
    expect((await as(desk.deskId)).body.code).toBe('other_desk');
    expect((await as(here.id)).status).toBe(201);
  });

  it('is joined with an e-mail address that has an account already, once', async () => {
    const viewer = await desk.member('viewer');
    const { email, id } = (await meOf(viewer)).member;
    const join = (body: object) => other.owner.post<Problem>('/members', body);
    expect(
      (await join({ email: 'nobody-yet@desk.test', role: 'viewer' })).body.fields!.map((f) => f.path),
    ).toEqual(['name', 'password']);
    const twin = {
      name: 'Twin',
      email: `twin-${Math.random()}@desk.test`,
      role: 'viewer',
      password: PASSWORD,
    };
    const twins = await Promise.all([join(twin), join(twin)]);
    expect(twins.map((r) => r.status).sort()).toEqual([201, 409]);
    expect((await join({ email, role: 'editor' })).status).toBe(201);
    expect((await join({ email, role: 'editor' })).body.code).toBe('name_taken');
    expect((await meOf(viewer)).desks.map((d) => d.role).sort()).toEqual(['editor', 'viewer']);
    // Its password is not this desk's alone to reset.
    expect((await desk.owner.post<Problem>(`/members/${id}/password-link`)).body.code).toBe(
      'member_elsewhere',
    );
    await viewer.put('/me/desk', { deskId: other.deskId });
    expect((await meOf(viewer)).role).toBe('editor');
    // Removed there, the member is still here.
    expect((await other.owner.remove(`/members/${id}`)).status).toBe(200);
    expect((await viewer.get('/me')).status).toBe(401);
    await viewer.signIn(email, PASSWORD);
    expect((await meOf(viewer)).desk.id).toBe(desk.deskId);
  });
});
