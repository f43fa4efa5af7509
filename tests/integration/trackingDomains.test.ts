/** Tracking domains with their own paths and fallbacks, impressions, and links that were pasted into sources. */
import { request } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  CampaignReport,
  DomainCheck,
  DomainRow,
  Me,
  PastedLink,
  Problem,
  UnknownKeyRow,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

interface Answer {
  status: number;
  location: string;
  code: string;
}
/** A request as it comes under another host name: fetch would not let us say which. */
function under(host: string, path: string): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const url = new URL(desk.tracking);
    const req = request(
      { host: url.hostname, port: url.port, path, headers: { Host: host, 'User-Agent': PHONE } },
      (res) => {
        res.resume();
        res.on('end', () =>
          resolve({
            status: res.statusCode ?? 0,
            location: res.headers.location ?? '',
            code: String(res.headers['tracheon-error'] ?? ''),
          }),
        );
      },
    );
    req.on('error', reject);
    req.end();
  });
}

describe('tracking domains', () => {
  let domain: DomainRow;

  it('are the listening one until another is the default; links then begin with that one', async () => {
    const [own, ...none] = (await desk.owner.get<DomainRow[]>('/domains')).body;
    expect([own!.origin, own!.isDefault, none]).toEqual([desk.tracking, true, []]);
    const made = await desk.owner.post<DomainRow>('/domains', {
      origin: 'https://GO.Hobbykits.example/',
      isDefault: true,
      fallbackUrl: 'https://hobbykits.example/',
      paths: [{ path: '/spring/2024', campaignId: chain.campaign.id }],
    });
    expect([made.status, made.body.origin]).toEqual([201, 'https://go.hobbykits.example']);
    domain = made.body;
    const me = (await desk.owner.get<Me>('/me')).body;
    expect([me.trackingOrigin, me.trackingOrigins]).toEqual([
      'https://go.hobbykits.example',
      ['https://go.hobbykits.example', desk.tracking],
    ]);
  });

  it('have paths of their own that lead to a campaign, and fall back for keys that nobody has', async () => {
    await until(
      async () => (await under('go.hobbykits.example', '/spring/2024?clk=old')).status === 302,
      'the path',
    );
    const visit = (await desk.visits()).find((v) => v.sourceClickId === 'old')!;
    expect(visit.campaignId).toBe(chain.campaign.id);
    const fallback = { status: 302, location: 'https://hobbykits.example/', code: '' };
    expect(await under('go.hobbykits.example', '/v/nobody')).toEqual(fallback);
    expect(await under('go.hobbykits.example', '/anything/else')).toEqual(fallback);
    // Another host knows nothing of them.
    expect((await under('other.example', '/spring/2024')).code).toBe('unknown_campaign_key');
    expect((await under('other.example', '/v/nobody')).code).toBe('unknown_campaign_key');
    // Campaigns answer under every host.
    expect((await under('other.example', `/v/${chain.campaign.key}`)).status).toBe(302);
  });

  it('list the unknown keys that were called under them, for their desk alone, until they are dismissed', async () => {
    await under('go.hobbykits.example', '/v/mistyped');
    await under('other.example', '/v/mistyped-elsewhere');
    const host = 'go.hobbykits.example';
    const found = async (key: string) =>
      (await desk.owner.get<UnknownKeyRow[]>('/unknown-keys')).body.find((r) => r.key === key);
    await until(async () => (await found('mistyped')) !== undefined, 'the key to be counted');
    expect(await found('mistyped')).toMatchObject({ kind: 'campaign', host, times: 1 });
    // What came under nobody's name is the first desk's.
    const { rows } = await desk.pool.query<{ id: string }>(
      'SELECT id FROM desks ORDER BY created_at, id LIMIT 1',
    );
    expect((await found('mistyped-elsewhere')) !== undefined).toBe(rows[0]!.id === desk.deskId);
    const attention = await desk.owner.get<{ code: string }[]>('/attention');
    expect(attention.body.map((a) => a.code)).toContain('unknown_keys');
    const body = { kind: 'campaign', key: 'mistyped', host };
    expect((await desk.owner.post('/unknown-keys/dismiss', body)).status).toBe(200);
    expect((await desk.owner.post('/unknown-keys/dismiss', body)).status).toBe(404);
    expect(await found('mistyped')).toBeUndefined();
  });

  it('are no place for an offer, a page or a fallback to lead to, by whatever spelling', async () => {
    const other = await desk.chain();
    const put = (kind: string, part: { id: string; version: number; body: object }, more: object) =>
      desk.owner.put<Problem>(`/parts/${kind}/${part.id}`, {
        version: part.version,
        body: { ...part.body, ...more },
      });
    for (const link of [
      `https://go.hobbykits.example/v/${chain.campaign.key}`,
      'http://GO.hobbykits.example/x',
      `${desk.tracking}/v/x`,
    ]) {
      const offer = await put('offer', other.offer, { link });
      expect([link, offer.status, offer.body.fields?.[0]?.path]).toEqual([link, 422, 'link']);
      expect((await put('campaign', other.campaign, { fallbackUrl: link })).status).toBe(422);
      expect((await desk.owner.post('/parts/landing-page', { name: `Loop ${link}`, url: link })).status).toBe(
        422,
      );
    }
    expect((await put('offer', other.offer, { link: 'https://nogo.hobbykits.example/v/x' })).status).toBe(
      200,
    );
  });

  it('belong to one desk, and have no path that means something else', async () => {
    const post = (body: object) => desk.owner.post<Problem>('/domains', body);
    expect((await post({ origin: 'https://go.hobbykits.example' })).body.code).toBe('name_taken');
    for (const origin of [
      'go.hobbykits.example',
      'https://x.example/path',
      'ftp://x.example',
      'https://u:p@x.example',
    ])
      expect([origin, (await post({ origin })).status]).toEqual([origin, 422]);
    for (const path of ['/v/abc', '/in/x', '/arrive/x', '/page.js', 'spring', '/a?b', '/b'])
      expect([
        path,
        (await post({ origin: 'https://y.example', paths: [{ path, campaignId: chain.campaign.id }] }))
          .status,
      ]).toEqual([path, 422]);
    const twice = [1, 2].map(() => ({ path: '/same', campaignId: chain.campaign.id }));
    expect((await post({ origin: 'https://y.example', paths: twice })).body.fields![0]!.path).toBe(
      'paths.1.path',
    );
    expect((await desk.owner.get<DomainRow[]>('/domains')).body).toHaveLength(2);
  });

  it('are looked at: whether they resolve, and whether what answers there is ours', async () => {
    const check = async (id: string) => (await desk.owner.post<DomainCheck>(`/domains/${id}/check`, {})).body;
    expect((await check(domain.id)).result).toBe('not_resolved');
    // Nobody may have the server's own address; as if it had been somebody's before there was that rule.
    const refusal = await desk.owner.post<Problem>('/domains', { origin: desk.tracking });
    expect([refusal.status, refusal.body.fields![0]!.path]).toEqual([422, 'origin']);
    const here = (await desk.owner.post<DomainRow>('/domains', { origin: 'https://soon.example' })).body;
    await desk.pool.query('UPDATE tracking_domains SET origin = $2, host = $3 WHERE id = $1', [
      here.id,
      desk.tracking,
      `${new URL(desk.tracking).host}`,
    ]);
    expect(await check(here.id)).toMatchObject({
      result: 'ok',
      addresses: ['127.0.0.2'],
      certificateDays: null,
    });
    // Nor one at a host where people sign in, whatever its port: cookies ignore ports.
    for (const origin of ['http://127.0.0.1:5432', desk.partnerPage.replace(/:\d+$/, ':5432')]) {
      const { status, body } = await desk.owner.post<Problem>('/domains', { origin });
      expect([origin, status, body.fields![0]!.path]).toEqual([origin, 422, 'origin']);
    }
    const elsewhere = (await desk.owner.post<DomainRow>('/domains', { origin: 'http://127.0.0.11:5432' }))
      .body;
    const refused = await check(elsewhere.id);
    expect([refused.result, refused.sentence]).toEqual([
      'no_answer',
      expect.stringContaining('private address'),
    ]);
    const listed = (await desk.owner.get<DomainRow[]>('/domains')).body;
    expect(listed.find((d) => d.id === here.id)!.check?.result).toBe('ok');
    for (const id of [here.id, elsewhere.id]) await desk.owner.ask('DELETE', `/domains/${id}`);
  });

  it('are changed and removed by owners only', async () => {
    const editor = await desk.member('editor');
    const body = { ...domain, paths: [], fallbackUrl: '', isDefault: false };
    expect((await editor.put<Problem>(`/domains/${domain.id}`, body)).body.code).toBe('role_too_small');
    expect((await desk.owner.put<DomainRow>(`/domains/${domain.id}`, body)).body.paths).toEqual([]);
    await until(
      async () => (await under('go.hobbykits.example', '/spring/2024')).status === 404,
      'the end of the path',
    );
    expect((await desk.owner.ask('DELETE', `/domains/${domain.id}`)).status).toBe(200);
    expect((await desk.owner.get<Me>('/me')).body.trackingOrigin).toBe(desk.tracking);
  });
});

describe('impressions', () => {
  it('are counted by campaign, and by each named sub-ID; the pixel is never kept', async () => {
    const own = await desk.chain({ campaign: { name: 'Seen' } });
    for (const site of ['a.example', 'a.example', 'b.example']) {
      const res = await desk.visit(`/seen/${own.campaign.key}?clk=x&site=${site}`);
      expect([res.status, res.headers.get('content-type'), res.headers.get('cache-control')]).toEqual([
        200,
        'image/gif',
        'no-store',
      ]);
      expect((await res.arrayBuffer()).byteLength).toBe(42);
    }
    await desk.visit(`/seen/${own.campaign.key}`, {}, 'HEAD');
    expect((await desk.visit('/seen/nobody')).status).toBe(404);
    const report = async () =>
      (await desk.owner.get<CampaignReport>(`/reports/campaigns/${own.campaign.id}?period=today`)).body;
    await until(async () => (await report()).impressions === 3, 'the impressions');
    const { rows } = await desk.pool.query<{ value: string; n: number }>(
      `SELECT value, sum(times)::int AS n FROM impressions WHERE campaign_id = $1 AND sub = 'site' GROUP BY 1 ORDER BY 1`,
      [own.campaign.id],
    );
    expect(rows).toEqual([
      { value: 'a.example', n: 2 },
      { value: 'b.example', n: 1 },
    ]);
    expect((await report()).total.visits).toBe(0);
    const searcher = { 'X-Forwarded-For': '203.0.113.50' };
    const answers: number[] = [];
    for (let i = 0; i < 62; i++) answers.push((await desk.visit(`/seen/guess${i}`, searcher)).status);
    expect([answers[0], answers.at(-1)]).toEqual([404, 429]);
    expect((await desk.visit(`/seen/${own.campaign.key}`, searcher)).status).toBe(200);
  });
});

describe('links that were pasted', () => {
  it('are ticked off with their parameters, by whom and when', async () => {
    const editor = await desk.member('editor');
    await editor.put(`/pasted-links/${chain.campaign.id}`, { query: 'clk=[click]' });
    await desk.owner.put(`/pasted-links/${chain.campaign.id}`, { query: 'clk=[click]&site=[site]' });
    const listed = (await desk.owner.get<PastedLink[]>('/pasted-links')).body;
    expect(listed.map((p) => [p.campaignId, p.query, p.pastedBy])).toEqual([
      [chain.campaign.id, 'clk=[click]&site=[site]', 'Owner'],
    ]);
    expect((await desk.owner.put(`/pasted-links/${chain.offer.id}`, { query: '' })).status).toBe(404);
  });
});
