import { endpoints } from '@tracheon/core/contract/all';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { type Endpoint, type Me, type MemberRow, type Problem, type Role } from '@tracheon/core/contract';
import { SIGN_IN_TRIES_PER_MINUTE } from '../../server/limits/limits.ts';
import { ApiClient } from './apiClient.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let clients: Record<Role, ApiClient>;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
  clients = { owner: desk.owner, editor: await desk.member('editor'), viewer: await desk.member('viewer') };
});
afterAll(() => desk.close());

/** The least role that each route needs, said here once more: a slip in the contract must not pass unseen. */
const least: Record<string, Role | 'anyone'> = {
  'post /sign-in': 'anyone',
  'post /sign-out': 'anyone',
  'get /me': 'viewer',
  'put /me/password': 'viewer',
  'put /me/tables': 'viewer',
  'get /tokens': 'viewer',
  'post /tokens': 'viewer',
  'delete /tokens/{id}': 'viewer',
  'get /stream': 'viewer',
  'get /desk': 'viewer',
  'put /desk': 'owner',
  'get /members': 'viewer',
  'post /members': 'owner',
  'put /members/{id}/role': 'owner',
  'delete /members/{id}': 'owner',
  'post /members/{id}/password-link': 'owner',
  'post /desks': 'owner',
  'post /new-password': 'anyone',
  'put /me/desk': 'viewer',
  'get /me/sessions': 'viewer',
  'delete /me/sessions/{id}': 'viewer',
  'get /rates': 'viewer',
  'put /rates': 'editor',
  'post /rates/file': 'editor',
  'post /rates/fetch': 'editor',
  'post /rates/remove': 'editor',
  'get /watches': 'viewer',
  'post /watches': 'editor',
  'post /watches/try': 'viewer',
  'put /watches/{id}': 'editor',
  'delete /watches/{id}': 'editor',
  'get /watches/{id}/history': 'viewer',
  'post /watch-findings/{id}/decide': 'editor',
  'get /notices': 'viewer',
  'post /notices/read': 'viewer',
  'get /notices/count': 'viewer',
  'get /notice-settings': 'viewer',
  'put /notice-settings': 'editor',
  'post /notice-settings/test': 'editor',
  'get /notice-sends': 'viewer',
  'get /signals': 'viewer',
  'post /watch-dry-runs': 'viewer',
  'get /watch-dry-runs/{id}': 'viewer',
  'delete /watch-dry-runs/{id}': 'viewer',
  'put /signals': 'editor',
  'post /signals/{id}/accept': 'editor',
  'post /signals/look': 'editor',
  'get /feeds': 'viewer',
  'post /feeds': 'editor',
  'put /feeds/{id}': 'editor',
  'post /feeds/try': 'editor',
  'post /feeds/{id}/run': 'editor',
  'get /feeds/{id}/runs': 'viewer',
  'post /feeds/{id}/stop': 'editor',
  'get /feeds/template-schema': 'viewer',
  'get /rates/schedule': 'viewer',
  'get /keyword-lists': 'viewer',
  'post /keyword-lists': 'editor',
  'delete /keyword-lists/{id}': 'editor',
  'get /proxies': 'viewer',
  'post /proxies': 'editor',
  'delete /proxies/{id}': 'editor',
  'post /parts/offer/{id}/look': 'editor',
  'get /parts/offer/{id}/wait': 'viewer',
  'post /parts/offer/{id}/wait': 'editor',
  'put /rates/schedule': 'editor',
  'post /feed-runs/{id}/confirm': 'editor',
  'get /costs': 'viewer',
  'get /costs/{id}/entries': 'viewer',
  'post /costs': 'editor',
  'post /costs/{id}/undo': 'editor',
  'post /costs/{id}/restore': 'editor',
  'get /cost-checks': 'viewer',
  'post /cost-files': 'editor',
  'get /cost-files/{id}': 'viewer',
  'post /cost-files/{id}/try': 'editor',
  'post /cost-files/{id}/load': 'editor',
  'delete /cost-files/{id}': 'editor',
  'get /parts': 'viewer',
  'get /parts/{kind}': 'viewer',
  'get /parts/{kind}/name-free': 'viewer',
  'post /parts/{kind}': 'editor',
  'get /parts/{kind}/{id}': 'viewer',
  'put /parts/{kind}/{id}': 'editor',
  'put /parts/{kind}/{id}/state': 'editor',
  'get /parts/{kind}/{id}/used-by': 'viewer',
  'get /reports/campaigns': 'viewer',
  'get /reports/decisions': 'viewer',
  'post /reports/numbers': 'viewer',
  'post /reports/cut-list': 'viewer',
  'get /list-entries': 'viewer',
  'get /own-figures': 'viewer',
  'post /own-figures': 'editor',
  'delete /own-figures/{id}': 'editor',
  'get /views': 'viewer',
  'post /views': 'editor',
  'delete /views/{id}': 'editor',
  'post /list-entries': 'editor',
  'post /list-entries/remove': 'editor',
  'get /desk/verdict-rules': 'viewer',
  'put /desk/verdict-rules': 'editor',
  'get /reports/numbers/state': 'viewer',
  'get /reports/what-changed': 'viewer',
  'post /carried-clicks/erase': 'owner',
  'get /reports/campaigns/{id}': 'viewer',
  'get /reports/fields': 'viewer',
  'get /parts/source/{id}/conversion-file': 'editor',
  'get /statements': 'viewer',
  'get /statements/{id}': 'viewer',
  'post /statements/{id}/compare': 'editor',
  'get /statements/{id}/lines': 'viewer',
  'post /statements/{id}/book': 'editor',
  'post /postbacks-out/resend': 'editor',
  'get /postbacks-out/health': 'viewer',
  'post /parts/source/{id}/preview-postback': 'editor',
  'post /secrets': 'editor',
  'get /attention': 'viewer',
  'get /visits': 'viewer',
  'get /visits/{id}': 'viewer',
  'delete /visits/{id}': 'owner',
  'get /postbacks-in': 'viewer',
  'get /postbacks-in/{id}': 'viewer',
  'post /postbacks-in/{id}/reprocess': 'editor',
  'get /configuration': 'viewer',
  'get /campaigns/{id}/recent': 'viewer',
  'get /campaigns/{id}/recent-values': 'viewer',
  'get /campaigns/{id}/mix': 'viewer',
  'post /campaigns/{id}/follow': 'editor',
  'get /shared-routings': 'viewer',
  'post /shared-routings': 'editor',
  'put /shared-routings/{id}': 'editor',
  'delete /shared-routings/{id}': 'editor',
  'get /desk/bots': 'viewer',
  'put /desk/bots': 'editor',
  'get /place-files': 'viewer',
  'get /conversions': 'viewer',
  'post /postbacks-in/{id}/release': 'editor',
  'get /domains': 'viewer',
  'post /domains': 'owner',
  'put /domains/{id}': 'owner',
  'delete /domains/{id}': 'owner',
  'post /domains/{id}/check': 'editor',
  'get /parts-recent': 'viewer',
  'get /pasted-links': 'viewer',
  'put /pasted-links/{id}': 'editor',
  'get /parts/{kind}/{id}/versions': 'viewer',
  'post /parts/{kind}/{id}/restore': 'editor',
  'post /parts-export': 'viewer',
  'post /parts-import': 'editor',
  'get /templates': 'viewer',
  'post /templates': 'editor',
  'delete /templates/{id}': 'editor',
  'get /parts/network/{id}/seen': 'viewer',
  'get /parts/network/{id}/secret': 'editor',
  'get /setup-sheets': 'viewer',
  'post /setup-sheets': 'editor',
  'get /setup-sheets/{id}': 'viewer',
  'put /setup-sheets/{id}': 'editor',
  'delete /setup-sheets/{id}': 'editor',
  'post /setup-sheets/{id}/live': 'editor',
  'get /campaigns/{id}/live': 'viewer',
  'get /campaigns/{id}/odds': 'viewer',
  'post /campaigns/{id}/test-link': 'editor',
  'post /campaigns/{id}/test-visit': 'editor',
  'post /visits/{id}/test-click': 'editor',
  'post /visits/{id}/test-conversion': 'editor',
  'post /parts/network/{id}/live-test': 'editor',
  'post /parts/offer/{id}/live-test': 'editor',
  'get /visits/{id}/trail': 'viewer',
  'post /campaigns-many': 'editor',
  'post /parts-changes': 'editor',
  'get /parts-changes': 'viewer',
  'post /parts-changes/{id}/undo': 'editor',
  'get /find': 'viewer',
  'get /parts-seen': 'viewer',
  'post /parts/{kind}/{id}/key': 'editor',
  'post /pages/{id}/check': 'editor',
  'get /pages/{id}/check': 'viewer',
  'get /postbacks-out': 'viewer',
  'post /postbacks-out/{id}/retry': 'editor',
  'post /postbacks-out/retry': 'editor',
  'post /postbacks-out/set-aside': 'editor',
  'post /postbacks-in/reprocess': 'editor',
  'post /postbacks-in/set-aside': 'editor',
  'get /repair-groups': 'viewer',
  'post /repair-groups/preview': 'editor',
  'post /repair-groups/repair': 'editor',
  'post /repair-groups/set-aside': 'editor',
  'post /postbacks-in/{id}/try': 'editor',
  'post /parts/network/{id}/try': 'editor',
  'get /receipt-batches': 'viewer',
  'get /receipt-batches/{id}': 'viewer',
  'post /receipt-batches/{id}/stop': 'editor',
  'post /receipt-batches/{id}/resume': 'editor',
  'post /receipt-batches/{id}/undo': 'editor',
  'get /conversions/{id}': 'viewer',
  'get /billing/open': 'viewer',
  'get /billing/statements': 'viewer',
  'get /billing/statements/{id}': 'viewer',
  'get /billing/statements/{id}/lines': 'viewer',
  'post /billing/statements': 'editor',
  'post /billing/statements/{id}/void': 'editor',
  'get /offer-access': 'viewer',
  'get /partners/{id}/postback': 'viewer',
  'post /offer-access': 'editor',
  'get /partners/{id}/quality': 'viewer',
  'get /partners/{id}/quality/visits': 'viewer',
  'get /partners/{id}/users': 'viewer',
  'post /partners/{id}/users': 'editor',
  'delete /partner-users/{id}': 'editor',
  'post /partner-users/{id}/password-link': 'editor',
  'get /billing/payments': 'viewer',
  'post /billing/payments': 'editor',
  'post /billing/payments/{id}/move': 'editor',
  'post /conversions/review-payouts': 'editor',
  'post /conversions/change': 'editor',
  'post /conversions/add': 'editor',
  'post /imports': 'editor',
  'get /imports/{id}': 'viewer',
  'put /imports/{id}': 'editor',
  'post /imports/{id}/try': 'editor',
  'post /imports/{id}/run': 'editor',
  'get /imports/{id}/failed': 'viewer',
  'post /carried-clicks/{id}/try': 'editor',
  'post /carried-clicks/{id}/run': 'editor',
  'get /carried-clicks/{id}/problems': 'viewer',
  'get /unknown-keys': 'viewer',
  'post /unknown-keys/dismiss': 'editor',
};
const fill = (path: string): string => path.replace('{kind}', 'campaign').replace('{id}', chain.campaign.id);
const routes = (): [string, string, Role | 'anyone'][] =>
  Object.entries(least).map(([r, role]) => [r.split(' ')[0]!.toUpperCase(), fill(r.split(' ')[1]!), role]);

it('the table names every route, with its role', () => {
  const contracted = (Object.values(endpoints) as Endpoint[]).map((e) => [`${e.method} ${e.path}`, e.least]);
  expect(Object.fromEntries(contracted)).toEqual(least);
  expect(contracted).toHaveLength(Object.keys(least).length);
});

describe('who may ask', () => {
  it('nobody without a session', async () => {
    const stranger = new ApiClient(desk.owner.origin);
    for (const [method, path, role] of routes().filter(([, , r]) => r !== 'anyone')) {
      const res = await stranger.ask<Problem>(method, path, method === 'GET' ? undefined : {});
      expect([method, path, role, res.status, res.body.code]).toEqual([
        method,
        path,
        role,
        401,
        'not_signed_in',
      ]);
    }
  });

  it('nobody for what their role does not allow', async () => {
    const order: Role[] = ['viewer', 'editor', 'owner'];
    let tried = 0;
    for (const [method, path, needed] of routes())
      for (const role of order) {
        if (needed === 'anyone' || order.indexOf(role) >= order.indexOf(needed)) continue;
        const res = await clients[role].ask<Problem>(method, path, method === 'GET' ? undefined : {});
        expect([role, method, path, res.body.code]).toEqual([role, method, path, 'role_too_small']);
        tried += 1;
      }
    expect(tried).toBeGreaterThan(10);
  });

  it('a viewer reads no intake key, by any route; an editor does', async () => {
    const click = await chain.send('clk=watched');
    await desk.say(chain.network.key, `click_id=${click}&payout=5`);
    const receipt = (await desk.postbacksIn())[0]!;
    const paths = routes()
      .filter(([method, path, role]) => method === 'GET' && role === 'viewer' && path !== '/stream')
      .map(([, path]) => path)
      .concat('/parts/network', `/parts/network/${chain.network.id}`, `/visits/${click}/trail`)
      .concat(`/postbacks-in/${receipt.id}`, `/parts/network/${chain.network.id}/versions`);
    const readers: Record<string, string[]> = { editor: [], viewer: [] };
    for (const role of ['editor', 'viewer'] as const)
      for (const path of paths)
        if (JSON.stringify((await clients[role].get(path)).body).includes(chain.network.key))
          readers[role]!.push(path);
    expect(readers.viewer).toEqual([]);
    expect(readers.editor).toContain(`/parts/network/${chain.network.id}`);
  });

  it('no other site: foreign origin, no origin, wrong or missing token', async () => {
    const { owner } = desk;
    const origins = ['https://evil.example', 'null', '', desk.tracking];
    const tokens = ['', 'x'.repeat(43), `${owner.csrf}x`];
    const writing = routes().filter(([method, , role]) => method !== 'GET' && role !== 'anyone');
    expect(writing.length).toBeGreaterThan(origins.length * tokens.length);
    // Each route refuses; which of the wrong origins and tokens it is asked with goes round.
    for (const [i, [method, path]] of writing.entries()) {
      const origin = origins[i % origins.length]!;
      const foreign = await owner.ask<Problem>(method, path, {}, { Origin: origin });
      expect([method, path, origin, foreign.body.code]).toEqual([method, path, origin, 'foreign_origin']);
      const token = tokens[i % tokens.length]!;
      const wrong = await owner.ask<Problem>(method, path, {}, { 'X-CSRF-Token': token });
      expect([method, path, token, wrong.body.code]).toEqual([method, path, token, 'bad_csrf_token']);
    }
  });

  it('no member whose membership is gone', async () => {
    const client = await desk.member('editor');
    const me = (await client.get<Me>('/me')).body;
    await desk.pool.query('DELETE FROM memberships WHERE member_id = $1', [me.member.id]);
    expect((await client.get('/me')).status).toBe(401);
  });
});

describe('another desk', () => {
  it('is not there: none of its records, by any route', async () => {
    const otherDesk = await makeDesk();
    const other = otherDesk.owner;
    const click = await chain.send('clk=mine');
    await desk.say(chain.network.key, `click_id=${click}&payout=5`);
    const receipt = (await desk.postbacksIn())[0]!;
    const member = (await desk.owner.get<MemberRow[]>('/members')).body[0]!;
    const token = (await desk.owner.post<{ id: string }>('/tokens', { name: 'mine' })).body;
    const { body } = chain.campaign;
    const asks: [string, string, unknown?][] = [
      ['PUT', `/parts/campaign/${chain.campaign.id}`, { version: 1, body }],
      ['PUT', `/parts/network/${chain.network.id}/state`, { state: 'archived' }],
      ['GET', `/reports/campaigns/${chain.campaign.id}`],
      ['GET', `/visits/${click}`],
      ['GET', `/parts/network/${chain.network.id}/used-by`],
      ['POST', `/postbacks-in/${receipt.id}/reprocess`, {}],
      ['POST', `/postbacks-out/${receipt.id}/retry`, {}],
      ['PUT', `/members/${member.id}/role`, { role: 'viewer' }],
      ['GET', `/parts/campaign/${chain.campaign.id}`],
      ['DELETE', `/visits/${click}`],
      ['DELETE', `/tokens/${token.id}`],
    ];
    for (const [method, path, sent] of asks) {
      const res = await other.ask<Problem>(method, path, sent);
      expect([method, path, res.status, res.body.code]).toEqual([method, path, 404, 'not_found']);
    }
    for (const path of [
      '/visits',
      '/postbacks-in',
      '/conversions',
      '/postbacks-out',
      `/visits?campaign=${chain.campaign.id}`,
    ])
      expect((await other.get<{ rows: unknown[] }>(path)).body.rows).toEqual([]);
    const parts = (await other.get<{ body: { name: string } }[]>('/parts')).body;
    expect(parts.map((p) => p.body.name)).toEqual(['Sale']);
    const borrowed = await other.post<Problem>('/parts/campaign', { ...body, name: 'Mine' });
    expect(borrowed.body.fields?.map((f) => f.path)).toEqual(['sourceId', 'offerId']);
  });
  it('an ID that is none is not found, and no crash', async () => {
    for (const id of ['x', '%00', "' OR 1=1", '0'.repeat(26), '__proto__'])
      for (const path of [`/reports/campaigns/${id}`, `/visits/${id}`, `/parts/campaign/${id}/used-by`]) {
        const { status } = await desk.owner.get(path.replaceAll(' ', '%20'));
        expect([path, status]).toEqual([path, 404]);
      }
    expect((await desk.owner.get('/parts/constructor')).status).toBe(404);
    expect((await desk.owner.get('/nowhere')).status).toBe(404);
  });
});

describe('signing in', () => {
  it('gives a new session each time, in a cookie that scripts cannot read', async () => {
    const client = new ApiClient(desk.owner.origin);
    const first = await client.signIn(desk.ownerEmail, 'a password of twenty');
    expect(first.headers.get('set-cookie')).toMatch(/^tracheon=.*; HttpOnly; SameSite=Lax/);
    const before = client.cookie;
    await client.signIn(`${desk.ownerEmail.toUpperCase()} `, 'a password of twenty');
    expect(client.cookie).not.toBe(before);
    await client.post('/sign-out');
    expect((await client.get('/me')).status).toBe(401);
  });
  // Before the throttle is tried: it counts by address, for a minute.
  it('a member changes the password by knowing the present one; other sessions of theirs end', async () => {
    const here = await desk.member('viewer');
    const { email } = (await here.get<Me>('/me')).body.member;
    const elsewhere = new ApiClient(desk.owner.origin);
    await elsewhere.signIn(email, 'a password of twenty');
    const change = (current: string, next: string) => here.put<Problem>('/me/password', { current, next });
    expect((await change('guessed', 'a new password')).body.fields?.[0]?.path).toBe('current');
    expect((await change('a password of twenty', 'short')).body.fields?.[0]?.path).toBe('next');
    expect((await change('a password of twenty', 'a new password')).status).toBe(200);
    expect([(await here.get('/me')).status, (await elsewhere.get('/me')).status]).toEqual([200, 401]);
    const again = new ApiClient(desk.owner.origin);
    expect((await again.signIn(email, 'a new password')).status).toBe(200);
  });
  it('is throttled by address, and does not tell which half was wrong', async () => {
    // From an address of its own: whoever else signs in must not be refused.
    const client = new ApiClient(desk.owner.origin, '203.0.113.77');
    const tries: string[] = [];
    for (let i = 0; i <= SIGN_IN_TRIES_PER_MINUTE; i++) {
      const res = await client.post<Problem>('/sign-in', {
        email: i % 2 ? desk.ownerEmail : 'nobody@desk.test',
        password: 'wrong',
      });
      tries.push(res.body.code);
    }
    expect(tries.slice(0, -1).every((c) => c === 'wrong_sign_in')).toBe(true);
    expect(tries.at(-1)).toBe('too_many_tries');
  });
  it('a desk keeps its last owner', async () => {
    const me = (await desk.owner.get<Me>('/me')).body;
    const res = await desk.owner.put<Problem>(`/members/${me.member.id}/role`, { role: 'viewer' });
    expect(res.body.code).toBe('last_owner');
  });
});

describe('the two listeners', () => {
  it('give out no file but the web app’s own', async () => {
    for (const path of [
      '/assets/none.js',
      '/assets/..%2f..%2f..%2fpackage.json',
      '/assets/%00',
      '/assets/%zz',
    ]) {
      const res = await fetch(desk.owner.origin + path);
      expect([
        path,
        res.status >= 400 && res.status < 500,
        (await res.text()).includes('"workspaces"'),
      ]).toEqual([path, true, false]);
    }
    // Any other path is the app's: its router says what is not there.
    expect(await (await fetch(`${desk.owner.origin}/..%2f..%2fpackage.json`)).text()).toContain(
      '<div id="app">',
    );
  });

  it('the desk is not reachable through the tracking host', async () => {
    for (const path of ['/', '/api/me', '/api/sign-in', '/sign-in', '/assets/x.js'])
      expect((await fetch(desk.tracking + path)).status).toBe(404);
  });
  it('pages carry a policy without inline scripts, and cannot be framed', async () => {
    const res = await fetch(`${desk.owner.origin}/today`);
    expect([res.status, (await res.text()).includes('<div id="app">')]).toEqual([200, true]);
    const policy = res.headers.get('content-security-policy')!;
    expect(policy).toContain("default-src 'self'");
    expect(policy).not.toMatch(/script-src[^;]*unsafe/);
    expect(policy).toContain("frame-ancestors 'none'");
    expect(res.headers.get('x-content-type-options')).toBe('nosniff');
    expect(res.headers.get('x-powered-by')).toBeNull();
  });
});
