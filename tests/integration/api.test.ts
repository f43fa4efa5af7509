/** The API as scripts use it: the document, tokens, keys against doing it twice, ETags, cursors, erasure. */
import { endpoints } from '@tracheon/core/contract/all';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import {
  type Endpoint,
  type MadeToken,
  type Me,
  type Page,
  type PartRecord,
  type Problem,
  type TokenRow,
  type VisitRow,
} from '@tracheon/core/contract';
import { apiRouter, type ApiDeps } from '../../server/app/api.ts';
import { expressPath } from '../../server/http/mount.ts';
import { WRONG_TOKENS_PER_MINUTE } from '../../server/limits/limits.ts';
import { sampleParts } from './sampleParts.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, untilLive, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

interface Said<T> {
  status: number;
  body: T & Partial<Problem>;
  etag: string | null;
}
/** As curl would ask: no cookie, no origin, no CSRF token. */
async function script<T = Record<string, never>>(
  token: string,
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<Said<T>> {
  const res = await fetch(`${desk.owner.origin}/api${path}`, {
    method,
    headers: { Authorization: `Bearer ${token}`, 'Content-Type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return {
    status: res.status,
    body: (await res.json()) as T & Partial<Problem>,
    etag: res.headers.get('etag'),
  };
}
const makeToken = async (scope: 'read' | 'write', client = desk.owner): Promise<MadeToken> =>
  (await client.post<MadeToken>('/tokens', { name: `${scope}s`, scope })).body;

describe('the document', () => {
  interface Document {
    openapi: string;
    paths: Record<string, Record<string, { responses: object; parameters?: { name: string }[] }>>;
    components: { schemas: Record<string, { properties?: object }> };
  }
  let document: Document;
  beforeAll(async () => {
    document = (await (await fetch(`${desk.owner.origin}/api/openapi.json`)).json()) as Document;
  });

  it('names every route that is mounted, and no other', () => {
    const { stack } = apiRouter({
      config: { desk: { origin: '' }, secret: '' },
    } as unknown as ApiDeps) as unknown as {
      stack: { route?: { path: string; methods: Record<string, boolean> } }[];
    };
    const mounted = stack.flatMap(({ route }) =>
      route ? Object.keys(route.methods).map((m) => `${m} ${route.path}`) : [],
    );
    const documented = Object.entries(document.paths).flatMap(([path, methods]) =>
      Object.keys(methods).map((m) => `${m} ${expressPath(path)}`),
    );
    expect(documented).toHaveLength(Object.keys(endpoints).length);
    expect([...documented, 'get /openapi.json', 'get /docs', 'get /template-schema.json'].sort()).toEqual(
      mounted.sort(),
    );
  });

  it('is OpenAPI 3.1, each schema with its properties, each reference with its target', () => {
    expect(document.openapi).toBe('3.1.0');
    const text = JSON.stringify(document);
    const targets = [...text.matchAll(/"\$ref":"#\/components\/schemas\/(\w+)"/g)].map((m) => m[1]!);
    expect(new Set(targets).size).toBeGreaterThan(5);
    for (const name of targets) expect(document.components.schemas).toHaveProperty(name);
    expect(document.components.schemas.OfferInput!.properties).toMatchObject({
      link: expect.anything(),
      payoutMicros: expect.anything(),
    });
    expect(text).not.toContain('"$schema"');
  });

  it('has a page to read it by, without scripts', async () => {
    const page = await (await fetch(`${desk.owner.origin}/api/docs`)).text();
    for (const e of Object.values(endpoints) as Endpoint[]) expect(page).toContain(`/api${e.path}`);
    expect(page).not.toContain('<script');
  });
});

describe('tokens', () => {
  it('do what their scope and their member’s role allow, without cookie or origin', async () => {
    const [reads, writes] = [await makeToken('read'), await makeToken('write')];
    expect(reads.token).toMatch(/^tracheon_[a-z2-9]{32}$/);
    expect((await script<PartRecord[]>(reads.token, 'GET', '/parts')).body).toHaveLength(5);
    const body = { name: 'Sign-up', word: 'signup' };
    const refused = await script(reads.token, 'POST', '/parts/event-type', body);
    expect([refused.status, refused.body.code]).toEqual([403, 'scope_too_small']);
    expect((await script(writes.token, 'POST', '/parts/event-type', body)).status).toBe(201);
    // A viewer's token writes nothing, whatever its scope.
    const viewer = await makeToken('write', await desk.member('viewer'));
    expect((await script(viewer.token, 'POST', '/parts/event-type', body)).body.code).toBe('role_too_small');
  });

  it('open no door to accounts: they make no tokens, change no password, sign nobody in', async () => {
    const { token, id } = await makeToken('write');
    const asks: [string, string, object?][] = [
      ['GET', '/tokens'],
      ['POST', '/tokens', { name: 'more' }],
      ['DELETE', `/tokens/${id}`],
      ['PUT', '/me/password', { current: 'a password of twenty', next: 'another password' }],
    ];
    for (const [method, path, body] of asks)
      expect([path, (await script(token, method, path, body)).body.code]).toEqual([path, 'session_only']);
  });

  it('are told once, kept as a hash, listed with their last use, and gone when revoked', async () => {
    const made = await makeToken('read');
    await script(made.token, 'GET', '/me');
    const rows = (await desk.owner.get<TokenRow[]>('/tokens')).body;
    const row = rows.find((t) => t.id === made.id)!;
    expect(row).toMatchObject({ name: 'reads', scope: 'read', memberName: 'Owner' });
    expect(row.lastUsedAt).not.toBeNull();
    expect(JSON.stringify(rows)).not.toContain(made.token);
    const { rows: stored } = await desk.pool.query('SELECT * FROM api_tokens');
    expect(JSON.stringify(stored)).not.toContain(made.token.slice(9));
    await desk.owner.remove(`/tokens/${made.id}`);
    expect((await script(made.token, 'GET', '/me')).body.code).toBe('wrong_token');
  });

  it('of another member are an owner’s to revoke, nobody else’s; with the membership they are gone', async () => {
    const editor = await desk.member('editor');
    const made = await makeToken('write', editor);
    const viewer = await desk.member('viewer');
    expect((await viewer.remove<Problem>(`/tokens/${made.id}`)).body.code).toBe('not_found');
    expect((await viewer.get<TokenRow[]>('/tokens')).body).toEqual([]);
    expect((await desk.owner.get<TokenRow[]>('/tokens')).body.map((t) => t.id)).toContain(made.id);
    await desk.owner.remove(`/tokens/${made.id}`);
    expect((await script(made.token, 'GET', '/me')).status).toBe(401);
    const leaving = await makeToken('read', viewer);
    expect((await script(leaving.token, 'GET', '/me')).status).toBe(200);
    await desk.pool.query(
      'DELETE FROM memberships WHERE member_id = (SELECT member_id FROM api_tokens WHERE id = $1)',
      [leaving.id],
    );
    expect((await script(leaving.token, 'GET', '/me')).body.code).toBe('wrong_token');
  });

  it('never fall back to a session that comes along', async () => {
    const res = await fetch(`${desk.owner.origin}/api/me`, {
      headers: { Cookie: desk.owner.cookie, Authorization: 'Bearer tracheon_wrong' },
    });
    expect(res.status).toBe(401);
  });

  it('that nobody has are held off by address', async () => {
    const codes: string[] = [];
    const from = { 'X-Forwarded-For': '198.51.100.7' };
    for (let n = 0; n <= WRONG_TOKENS_PER_MINUTE; n++)
      codes.push((await script('tracheon_guess', 'GET', '/me', undefined, from)).body.code!);
    expect(codes.at(0)).toBe('wrong_token');
    expect(codes.at(-1)).toBe('too_many_tries');
    expect((await script('tracheon_guess', 'GET', '/me')).body.code).toBe('wrong_token');
  });
});

describe('Idempotency-Key', () => {
  const create = (token: string, key: string, body: object) =>
    script<PartRecord>(token, 'POST', '/parts/event-type', body, { 'Idempotency-Key': key });

  it('gives the first answer again, also to ten at once, and makes one record', async () => {
    const { token } = await makeToken('write');
    const body = { name: 'Trial', word: 'trial' };
    const answers = await Promise.all(Array.from({ length: 10 }, () => create(token, 'k1', body)));
    const made = answers.filter((a) => a.status === 201);
    expect(made.length).toBeGreaterThan(0);
    expect(new Set(made.map((a) => a.body.id)).size).toBe(1);
    expect(answers.every((a) => a.status === 201 || a.body.code === 'key_still_at_it')).toBe(true);
    const again = await create(token, 'k1', body);
    expect([again.status, again.body.id, again.etag]).toEqual([201, made[0]!.body.id, '"v1"']);
    expect(
      (await desk.owner.get<PartRecord[]>('/parts/event-type')).body.filter((p) => p.body.name === 'Trial'),
    ).toHaveLength(1);
  });

  it('with another body is refused; of another member it is another key; a failure leaves none behind', async () => {
    const { token } = await makeToken('write');
    expect((await create(token, 'k2', { name: '', word: 'x' })).status).toBe(422);
    expect((await create(token, 'k2', { name: 'Second', word: 'second' })).status).toBe(201);
    expect((await create(token, 'k2', { name: 'Third', word: 'third' })).body.code).toBe(
      'key_used_otherwise',
    );
    const other = await makeToken('write', await desk.member('editor'));
    expect((await create(other.token, 'k2', { name: 'Third', word: 'third' })).status).toBe(201);
    expect((await create(token, 'white space', { name: 'X', word: 'x' })).body.fields?.[0]?.path).toBe(
      'Idempotency-Key',
    );
  });

  it('is forgotten after a day, and taken over from a process that died', async () => {
    const { token } = await makeToken('write');
    await create(token, 'k3', { name: 'Fourth', word: 'fourth' });
    await desk.pool.query(
      `UPDATE idempotent_calls SET created_at = now() - interval '25 hours' WHERE key = 'k3'`,
    );
    expect((await create(token, 'k3', { name: 'Fifth', word: 'fifth' })).status).toBe(201);
    await desk.pool.query(`UPDATE idempotent_calls SET status = NULL WHERE key = 'k3'`);
    expect((await create(token, 'k3', { name: 'Fifth', word: 'fifth' })).body.code).toBe('key_still_at_it');
    await desk.pool.query(
      `UPDATE idempotent_calls SET created_at = now() - interval '2 minutes' WHERE key = 'k3'`,
    );
    // It had been made before the process died: its word keeps it from being made twice.
    expect((await create(token, 'k3', { name: 'Fifth', word: 'fifth' })).body.code).toBe('word_taken');
  });
});

describe('ETags', () => {
  it('of a record: read, changed with If-Match, refused once somebody else has saved', async () => {
    const { token } = await makeToken('write');
    const path = `/parts/campaign/${chain.campaign.id}`;
    const read = await script<PartRecord>(token, 'GET', path);
    expect(read.etag).toBe('"v1"');
    const { body } = read.body;
    const put = (etag: string | null, more: object = {}) =>
      script<PartRecord>(
        token,
        'PUT',
        path,
        { body: { ...body, notes: 'by script' }, ...more },
        etag ? { 'If-Match': etag } : {},
      );
    const saved = await put(read.etag);
    expect([saved.status, saved.etag]).toEqual([200, '"v2"']);
    const late = await put('"v1"');
    expect([late.status, late.body.code, late.body.current?.version]).toEqual([
      412,
      'precondition_failed',
      2,
    ]);
    expect((await put('"nonsense"')).status).toBe(412);
    expect((await put(null)).body.code).toBe('version_needed');
    expect((await put(null, { version: 1 })).body.code).toBe('changed_meanwhile');
    expect((await put(null, { version: 2 })).etag).toBe('"v3"');
    const state = (etag: string) =>
      script<PartRecord>(token, 'PUT', `${path}/state`, { state: 'paused' }, { 'If-Match': etag });
    expect((await state('"v2"')).status).toBe(412);
    expect((await state('"v3"')).etag).toBe('"v4"');
    await script(token, 'PUT', `${path}/state`, { state: 'live' });
    await untilLive(desk, chain.campaign.key);
    // Live again before others send visits through it.
    await until(
      async () => (await desk.visit(`/v/${chain.campaign.key}`, {}, 'HEAD')).status === 302,
      'the campaign',
    );
  });

  it('of the desk', async () => {
    const { token } = await makeToken('write');
    const { etag, body } = await script<{ name: string; zone: string; currency: string }>(
      token,
      'GET',
      '/desk',
    );
    const put = (match: string, name: string) =>
      script(token, 'PUT', '/desk', { ...body, name }, { 'If-Match': match });
    expect((await put(etag!, 'Renamed')).status).toBe(200);
    expect((await put(etag!, 'Renamed again')).body.code).toBe('precondition_failed');
  });
});

it('a member’s table layouts are theirs alone, and refuse what is no layout', async () => {
  const layout = { order: ['name', 'profit'], hidden: ['roi'], pinned: ['profit'], widths: { name: 210 } };
  expect((await desk.owner.put('/me/tables', { table: 'campaigns', layout })).status).toBe(200);
  expect((await desk.owner.put('/me/tables', { table: 'campaigns', layout })).status).toBe(200);
  expect((await desk.owner.get<Me>('/me')).body.tableLayouts).toEqual({ campaigns: layout });
  const mate = await desk.member('viewer');
  expect((await mate.get<Me>('/me')).body.tableLayouts).toEqual({});
  const wrong = await desk.owner.put<Problem>('/me/tables', { table: 'Campaigns!', layout });
  expect([wrong.status, wrong.body.fields?.[0]?.path]).toEqual([422, 'table']);
});

it('cursors walk a list to its end, each row once, while rows come in', async () => {
  for (let n = 0; n < 7; n++) await chain.send(`clk=page-${n}`);
  const seen: string[] = [];
  let cursor: string | null = '';
  do {
    const { body }: { body: Page<VisitRow> } = await desk.owner.get<Page<VisitRow>>(
      `/visits?limit=3&cursor=${cursor}`,
    );
    seen.push(...body.rows.map((r) => r.sourceClickId).filter((c) => c.startsWith('page-')));
    cursor = body.next;
    await chain.send('clk=later');
  } while (cursor !== null);
  expect(seen).toEqual(['page-6', 'page-5', 'page-4', 'page-3', 'page-2', 'page-1', 'page-0']);
});

describe('erasure by click ID', () => {
  it('takes what points to a person, keeps what figures are made of, and can be repeated', async () => {
    const other = await desk.chain({
      source: { ...sampleParts(9000).source, postbackUrl: 'https://src.example/p?c={source_click_id}' },
    });
    const id = await other.send('clk=someone-77&site=a%40b.example&bid=0.5', {
      'X-Forwarded-For': '145.53.9.9',
      'User-Agent': 'Somebody/1.0',
      Referer: 'https://home.example/me',
    });
    await desk.say(
      other.network.key,
      `click_id=${id}&payout=5&transaction=E-1&status=ok&x_mail=a%40b.example`,
    );
    const before = {
      ...(await desk.booked()).find((c) => c.clickId === id)!,
      sourceClickId: '',
      subs: {},
      extras: {},
      sentState: 'superseded',
    };
    expect((await (await desk.member('editor')).remove<Problem>(`/visits/${id}`)).body.code).toBe(
      'role_too_small',
    );
    expect((await desk.owner.remove(`/visits/${id.toLowerCase()}`)).body).toEqual({
      visits: 1,
      postbacks: 1,
      conversions: 1,
    });
    expect((await desk.owner.remove(`/visits/${id}`)).body).toEqual({
      visits: 1,
      postbacks: 1,
      conversions: 1,
    });
    // Nowhere in the whole database.
    const { rows: tables } = await desk.pool.query<{ name: string }>(
      `SELECT table_name AS name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'`,
    );
    expect(tables.length).toBeGreaterThan(15);
    for (const { name } of tables)
      for (const trace of ['someone-77', 'a@b.example', 'a%40b', '145.53.9', 'Somebody', 'home.example']) {
        const { rows } = await desk.pool.query(`SELECT 1 FROM ${name} t WHERE t::text LIKE $1`, [
          `%${trace.replace('%', '\\%')}%`,
        ]);
        expect([name, trace, rows.length]).toEqual([name, trace, 0]);
      }
    const visit = (await desk.owner.get<VisitRow>(`/visits/${id}`)).body;
    expect(visit).toMatchObject({
      costMicros: '500000',
      country: 'NL',
      sourceClickId: '',
      subs: {},
      notes: ['erased'],
    });
    expect((await desk.booked()).find((c) => c.clickId === id)).toEqual(before);
    // Judged again, the emptied call changes nothing.
    const call = (await desk.postbacksIn()).find((c) => c.clickId === id)!;
    await desk.owner.post(`/postbacks-in/${call.id}/reprocess`);
    expect((await desk.booked()).find((c) => c.clickId === id)).toEqual(before);
    // A later call still counts, and the source is not told of somebody forgotten.
    await desk.say(other.network.key, `click_id=${id}&payout=6&transaction=E-2&status=ok`);
    const { rows: told } = await desk.pool.query(
      `SELECT url FROM outbox WHERE url <> '' AND destination_id = $1`,
      [other.source.id],
    );
    expect(told).toEqual([]);
  });

  it('of a click that nobody knows is not found', async () => {
    expect((await desk.owner.remove<Problem>('/visits/01J00000000000000000000000')).body.code).toBe(
      'not_found',
    );
  });
});
