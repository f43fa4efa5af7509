/** The partner page: who gets in, what a partner sees of offers, links, numbers and statements, and that it sees nothing else. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { endpoints } from '@tracheon/core/contract/all';
import type { AccessRow, PartRecord, PartnerUser, Problem } from '@tracheon/core/contract';
import {
  partnerEndpoints,
  type OwnConversion,
  type OwnLine,
  type OwnStatement,
  type PartnerMe,
  type PartnerNumbers,
  type PromotedLink,
  type PromotedOffer,
} from '@tracheon/core/contract/partnerPage';
import { ApiClient } from './apiClient.ts';
import { newEmail, PASSWORD, person, stranger } from './partnerPeople.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let saleId: string;
beforeAll(async () => {
  desk = await makeDesk();
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type'`,
    [desk.deskId],
  );
  saleId = rows[0]!.id;
});
afterAll(() => desk.close());

let serial = 0;
const newPartner = (more: object = {}): Promise<PartRecord<'partner'>> =>
  desk.make('partner', { name: `Avocet ${++serial}`, ...more });

const ownOffer = (more: object = {}): Promise<Chain> =>
  desk.chain({
    network: { relation: 'direct' },
    offer: {
      currency: 'EUR',
      partnerAccess: 'open',
      partnerPayouts: [{ eventTypeId: saleId, pays: 'fixed', amountMicros: '6000000' }],
      ...more,
    },
  });
const offersOf = async (client: ApiClient): Promise<PromotedOffer[]> =>
  (await client.get<PromotedOffer[]>('/offers')).body;
const offerOf = async (client: ApiClient, chain: Chain): Promise<PromotedOffer | undefined> =>
  (await offersOf(client)).find((o) => o.id === chain.offer.id);
const linksOf = async (client: ApiClient, chain: Chain): Promise<PromotedLink[]> =>
  (await client.get<PromotedLink[]>(`/offers/${chain.offer.id}/links`)).body;
const decide = (chain: Chain, partner: PartRecord<'partner'>, from: string, to: string, reason = '') =>
  desk.owner.post<AccessRow>('/offer-access', {
    offerId: chain.offer.id,
    partnerId: partner.id,
    from,
    to,
    reason,
  });

describe('signing in', () => {
  it('works with the password chosen by the link, which works once; a second person of the partner has its own', async () => {
    const partner = await newPartner();
    const email = newEmail();
    const first = await person(desk, partner, email);
    const { body } = await first.get<PartnerMe>('/me');
    expect([body.partner.id, body.user.email, body.desk.id]).toEqual([partner.id, email, desk.deskId]);
    const again = await desk.owner.post<Problem>(`/partners/${partner.id}/users`, { name: 'Ines', email });
    expect([again.status, again.body.code]).toEqual([409, 'name_taken']);
    await person(desk, partner);
    const { users } = (await desk.owner.get<{ users: PartnerUser[] }>(`/partners/${partner.id}/users`)).body;
    expect(users.map((u) => [u.hasPassword, u.lastSignIn !== null])).toEqual([
      [true, true],
      [true, true],
    ]);
  });

  it('refuses a wrong password, a link used twice, and everybody before a password is chosen', async () => {
    const partner = await newPartner();
    const email = newEmail();
    const { body } = await desk.owner.post<{ url: string }>(`/partners/${partner.id}/users`, {
      name: 'Ines',
      email,
    });
    const secret = body.url.split('#')[1];
    const client = stranger(desk);
    expect((await client.signIn(email, '')).status).toBe(422);
    expect((await client.signIn(email, PASSWORD)).status).toBe(401);
    expect((await client.post('/new-password', { secret, password: 'too short' })).status).toBe(422);
    expect((await client.post('/new-password', { secret, password: PASSWORD })).status).toBe(200);
    const twice = await client.post<Problem>('/new-password', { secret, password: PASSWORD });
    expect(twice.body.code).toBe('link_used');
    expect((await client.signIn(email, `${PASSWORD}!`)).status).toBe(401);
    expect((await client.signIn(email, PASSWORD)).status).toBe(200);
  });

  it('ends at once when the desk removes the person, and when the partner is archived', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const { users } = (await desk.owner.get<{ users: PartnerUser[] }>(`/partners/${partner.id}/users`)).body;
    await desk.owner.remove(`/partner-users/${users[0]!.id}`);
    expect((await client.get<Problem>('/me')).body.code).toBe('not_signed_in');
    expect((await client.signIn(users[0]!.email, PASSWORD)).status).toBe(401);

    const other = await newPartner();
    const second = await person(desk, other);
    expect((await desk.owner.put(`/parts/partner/${other.id}/state`, { state: 'archived' })).status).toBe(
      200,
    );
    expect((await second.get<Problem>('/offers')).body.code).toBe('not_signed_in');
  });

  it('serves one person for several partners, one at a time; a new link is not made beside another desk', async () => {
    const [first, second] = [await newPartner(), await newPartner()];
    const email = newEmail();
    await person(desk, first, email);
    const client = await person(desk, second, email);
    const me = (await client.get<PartnerMe>('/me')).body;
    expect(me.others).toHaveLength(1);
    await client.put('/me/partner', { accessId: me.others[0]!.id });
    const after = (await client.get<PartnerMe>('/me')).body;
    expect(after.partner.id).not.toBe(me.partner.id);
    expect((await client.put('/me/partner', { accessId: desk.deskId })).status).toBe(404);
    // A tab that still shows the partner before changes nothing of the other one.
    const late = await client.ask<Problem>('PUT', '/postback', { url: '' }, { 'X-Partner': me.partner.id });
    expect([late.status, late.body.code]).toEqual([409, 'other_partner']);
    expect((await client.ask('GET', '/offers', undefined, { 'X-Partner': after.partner.id })).status).toBe(
      200,
    );

    const elsewhere = await makeDesk();
    try {
      const theirs = await elsewhere.make('partner', { name: 'Avocet Reach' });
      const added = await elsewhere.owner.post<{ user: PartnerUser; url: string }>(
        `/partners/${theirs.id}/users`,
        {
          name: 'Ines',
          email,
        },
      );
      // The password is the person's own: no link is handed to another desk.
      expect([added.status, added.body.url]).toEqual([201, '']);
      const refused = await elsewhere.owner.post<Problem>(
        `/partner-users/${added.body.user.id}/password-link`,
      );
      expect(refused.body.code).toBe('member_elsewhere');
    } finally {
      await elsewhere.close();
    }
  });

  it('a changed password ends the person’s other sessions', async () => {
    const partner = await newPartner();
    const email = newEmail();
    const one = await person(desk, partner, email);
    const two = stranger(desk);
    await two.signIn(email, PASSWORD);
    expect((await one.put('/me/password', { current: 'wrong', next: `${PASSWORD} 2` })).status).toBe(401);
    expect((await one.put('/me/password', { current: PASSWORD, next: `${PASSWORD} 2` })).status).toBe(200);
    expect((await one.get('/me')).status).toBe(200);
    expect((await two.get('/me')).status).toBe(401);
  });
});

describe('what a partner can reach', () => {
  it('nothing of the desk’s API answers a partner, at either listener; nor does the partner page answer a member', async () => {
    const client = await person(desk, await newPartner());
    const at = (origin: string) => {
      const c = new ApiClient(origin, '198.19.251.7');
      Object.assign(c, { cookie: client.cookie, csrf: client.csrf });
      return c;
    };
    const routes = Object.values(endpoints).filter((e) => e.least !== 'anyone');
    expect(routes.length).toBeGreaterThan(150);
    const own = new Set<string>(Object.values(partnerEndpoints).map((e) => `${e.method} ${e.path}`));
    for (const e of routes) {
      const path = e.path.replaceAll('{kind}', 'offer').replaceAll(/\{\w+\}/g, desk.deskId);
      const atDesk = await at(desk.owner.origin).ask(
        e.method.toUpperCase(),
        path,
        e.method === 'get' ? undefined : {},
      );
      expect([e.method, path, atDesk.status]).toEqual([e.method, path, 401]);
      if (own.has(`${e.method} ${e.path}`)) continue;
      const here = await fetch(`${desk.partnerPage}/api${path}`, {
        method: e.method.toUpperCase(),
        headers: { Cookie: client.cookie, Origin: desk.partnerPage, 'X-CSRF-Token': client.csrf },
      });
      expect([e.method, path, here.status]).toEqual([e.method, path, 404]);
    }
    // The other way round: a member's cookie opens nothing here.
    for (const e of Object.values(partnerEndpoints).filter((p) => p.least === 'partner')) {
      const res = await fetch(`${desk.partnerPage}/api${e.path.replace('{id}', desk.deskId)}`, {
        method: e.method.toUpperCase(),
        headers: {
          Cookie: desk.owner.cookie.replace('tracheon=', 'tracheon-partner='),
          Origin: desk.partnerPage,
        },
      });
      expect([e.path, res.status]).toEqual([e.path, 401]);
    }
  });

  it('changes need the page’s own origin and token', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const chain = await ownOffer({ partnerAccess: 'request' });
    const path = `/offers/${chain.offer.id}/ask`;
    const foreign = await client.ask<Problem>('POST', path, {}, { Origin: desk.owner.origin });
    expect(foreign.body.code).toBe('foreign_origin');
    const forged = await client.ask<Problem>('POST', path, {}, { 'X-CSRF-Token': 'x'.repeat(43) });
    expect(forged.body.code).toBe('bad_csrf_token');
  });

  it('the pages are there, and nothing of the tracking host is', async () => {
    for (const path of ['/', '/offers', '/sign-in', '/no/such/page']) {
      const res = await fetch(desk.partnerPage + path);
      expect([path, res.status, (await res.text()).includes('<title>Partner page</title>')]).toEqual([
        path,
        200,
        true,
      ]);
    }
    expect((await fetch(`${desk.partnerPage}/assets/none.js`)).status).toBe(404);
    expect(await fetch(`${desk.partnerPage}/healthz`).then((r) => r.text())).toBe('ok');
  });
});

describe('offers', () => {
  it('open to every partner: with its payouts in words, and the link of the partner', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const chain = await ownOffer({
      category: 'Hobby kits',
      description: '# Kites\n\n<b>not bold</b>',
      previewUrl: 'https://kitewright.example/club',
      partnerPayouts: [
        {
          eventTypeId: saleId,
          pays: 'fixed',
          amountMicros: '6000000',
          approval: 'days',
          afterDays: 10,
          exceptions: [
            { partnerId: partner.id, pays: 'fixed', amountMicros: '7500000' },
            { country: 'NL', pays: 'fixed', amountMicros: '5000000' },
            { partnerId: partner.id, country: 'BE', pays: 'fixed', amountMicros: '8000000' },
          ],
        },
      ],
    });
    const offer = await offerOf(client, chain);
    expect(offer).toMatchObject({ access: 'open', state: 'live', category: 'Hobby kits' });
    expect(offer!.pays).toEqual([
      {
        event: 'Sale',
        amount: '7.50 EUR · BE: 8.00 EUR',
        approval: 'Paid after 10 days unless it is rejected.',
      },
    ]);
    const [link] = await linksOf(client, chain);
    expect(link!.link).toContain(`/v/${chain.campaign.key}?partner=${partner.id}`);
    expect(link!.parameters.map((p) => p.name)).toEqual(['your click ID', 'site', 'site', 'title']);
    const res = await desk.visit(
      new URL(`${link!.link}&site=owls&clk=p-1`).pathname + `?partner=${partner.id}&site=owls`,
    );
    expect(res.status).toBe(302);
  });

  it('hidden ones, drafts, and those of an invitation that was not made are not there', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const hidden = await ownOffer({ partnerAccess: 'hidden' });
    const draft = await ownOffer();
    await desk.owner.put(`/parts/offer/${draft.offer.id}`, {
      version: draft.offer.version,
      body: { ...draft.offer.body, sending: 'draft' },
    });
    const invited = await ownOffer({ partnerAccess: 'invitation' });
    for (const chain of [hidden, draft, invited]) {
      expect(await offerOf(client, chain)).toBeUndefined();
      for (const what of ['ask', 'accept-terms'])
        expect((await client.post(`/offers/${chain.offer.id}/${what}`, { terms: '' })).status).toBe(404);
      expect((await client.get(`/offers/${chain.offer.id}/links`)).status).toBe(404);
    }
    expect((await decide(invited, partner, 'none', 'approved')).status).toBe(200);
    expect(await offerOf(client, invited)).toMatchObject({ access: 'approved' });
    expect(await linksOf(client, invited)).toHaveLength(1);
  });

  it('asked for, refused with a reason, given after all, ended; the second of two members is told', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const chain = await ownOffer({ partnerAccess: 'request' });
    expect(await offerOf(client, chain)).toMatchObject({ access: 'none' });
    expect(await linksOf(client, chain)).toEqual([]);
    const path = `/offers/${chain.offer.id}/ask`;
    expect((await client.post<PromotedOffer>(path, { note: 'Kite forums' })).body.access).toBe('asked');
    // A second click asks nothing new.
    expect((await client.post(path, { note: 'again' })).status).toBe(200);
    const asked = (await desk.owner.get<AccessRow[]>('/offer-access')).body.find(
      (r) => r.partnerId === partner.id,
    );
    expect(asked).toMatchObject({
      ...{ state: 'asked', note: 'Kite forums', offerId: chain.offer.id, askedBy: 'Ines' },
    });

    expect((await decide(chain, partner, 'asked', 'refused', 'No coupon sites.')).status).toBe(200);
    const late = await decide(chain, partner, 'asked', 'approved');
    expect([late.status, (late.body as unknown as Problem).code]).toEqual([409, 'access_moved']);
    expect(await offerOf(client, chain)).toMatchObject({ access: 'refused', reason: 'No coupon sites.' });
    expect((await client.post<Problem>(path, {})).body.code).toBe('access_moved');
    await decide(chain, partner, 'refused', 'approved');
    expect(await linksOf(client, chain)).toHaveLength(1);
    await decide(chain, partner, 'approved', 'ended', 'The budget is used up.');
    expect(await offerOf(client, chain)).toMatchObject({ access: 'ended', reason: 'The budget is used up.' });
    expect(await linksOf(client, chain)).toEqual([]);
    const viewer = await desk.member('viewer');
    const body = {
      offerId: chain.offer.id,
      partnerId: partner.id,
      from: 'ended',
      to: 'approved',
      reason: '',
    };
    expect((await viewer.post('/offer-access', body)).status).toBe(403);
  });

  it('terms are accepted as they were read, and again after they have changed', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const chain = await ownOffer({ partnerTerms: 'No brand bidding.' });
    const accept = (terms: string) =>
      client.post<PromotedOffer & Problem>(`/offers/${chain.offer.id}/accept-terms`, { terms });
    const rowOf = async () =>
      (await desk.owner.get<AccessRow[]>(`/offer-access?partnerId=${partner.id}`)).body.find(
        (r) => r.offerId === chain.offer.id,
      );
    expect(await linksOf(client, chain)).toEqual([]);
    expect((await accept('Anything goes.')).body.code).toBe('terms_changed');
    expect((await accept('No brand bidding.')).body.termsAcceptedAt).not.toBeNull();
    expect(await rowOf()).toMatchObject({ termsAcceptedBy: 'Ines' });
    expect(await linksOf(client, chain)).toHaveLength(1);
    const { body } = chain.offer;
    const saved = await desk.owner.put(`/parts/offer/${chain.offer.id}`, {
      version: chain.offer.version,
      body: { ...body, partnerTerms: 'No brand bidding, no e-mail.' },
    });
    expect(saved.status).toBe(200);
    expect(await offerOf(client, chain)).toMatchObject({ termsAcceptedAt: null });
    expect(await linksOf(client, chain)).toEqual([]);
    expect(await rowOf()).toMatchObject({ hasTerms: true, termsAcceptedAt: null, termsAcceptedBy: '' });
  });

  it('without access at the time of the visit, a payout waits for a review; with it, it follows the advertiser', async () => {
    const partner = await newPartner();
    const chain = await ownOffer({ partnerAccess: 'request' });
    const convert = async (): Promise<{ partner_status: string; flags: string[] }> => {
      const clickId = await chain.send(`clk=${Math.random()}&partner=${partner.id}`);
      await desk.say(chain.network.key, `click_id=${clickId}&transaction=A${++serial}&payout=10&status=ok`);
      const { rows } = await desk.pool.query<{ partner_status: string; flags: string[] }>(
        'SELECT partner_status, flags FROM conversions WHERE desk_id = $1 AND owner = $2',
        [desk.deskId, clickId],
      );
      return rows[0]!;
    };
    const before = await convert();
    expect([before.partner_status, before.flags.includes('partner_without_access')]).toEqual([
      'pending',
      true,
    ]);
    await decide(chain, partner, 'none', 'approved');
    const within = await convert();
    expect([within.partner_status, within.flags.includes('partner_without_access')]).toEqual([
      'approved',
      false,
    ]);
    await decide(chain, partner, 'approved', 'ended');
    expect((await convert()).partner_status).toBe('pending');
  });

  it('open to every partner, and taken from one: it sees that, and its further payouts wait for a review', async () => {
    const partner = await newPartner();
    const client = await person(desk, partner);
    const chain = await ownOffer();
    const convert = async (): Promise<string> => {
      const clickId = await chain.send(`clk=${Math.random()}&partner=${partner.id}`);
      await desk.say(chain.network.key, `click_id=${clickId}&transaction=E${++serial}&payout=10&status=ok`);
      const { rows } = await desk.pool.query<{ partner_status: string }>(
        'SELECT partner_status FROM conversions WHERE desk_id = $1 AND owner = $2',
        [desk.deskId, clickId],
      );
      return rows[0]!.partner_status;
    };
    expect(await convert()).toBe('approved');
    expect((await decide(chain, partner, 'none', 'ended', 'Too many complaints.')).status).toBe(200);
    expect(await offerOf(client, chain)).toMatchObject({ access: 'ended', reason: 'Too many complaints.' });
    expect(await convert()).toBe('pending');
    await decide(chain, partner, 'ended', 'approved');
    expect(await convert()).toBe('approved');
  });
});

describe('numbers and statements', () => {
  it('shows visits, conversions by status and payouts of this partner alone, by day, offer, event and sub-ID', async () => {
    const [partner, other] = [await newPartner(), await newPartner()];
    const client = await person(desk, partner);
    const chain = await ownOffer();
    for (const [who, site, status] of [
      [partner, 'owls', 'ok'],
      [partner, 'owls', 'wait'],
      [partner, 'larks', 'no'],
      [other, 'owls', 'ok'],
    ] as const) {
      const clickId = await chain.send(`clk=${Math.random()}&site=${site}&partner=${who.id}`);
      await desk.say(
        chain.network.key,
        `click_id=${clickId}&transaction=N${++serial}&payout=10&status=${status}`,
      );
    }
    const today = new Intl.DateTimeFormat('en-CA', { timeZone: 'Europe/Brussels' }).format(Date.now());
    const numbers = async (by: string): Promise<PartnerNumbers> =>
      (await client.get<PartnerNumbers>(`/numbers?from=${today}&to=${today}&by=${by}`)).body;
    await until(async () => (await numbers('day')).total.visits === 3, 'the visits to be in the index');
    const sums = (n: PartnerNumbers) => [
      n.total.conversions,
      n.total.approved,
      n.total.pending,
      n.total.rejected,
    ];
    for (const by of ['day', 'offer', 'event', 'sub_site']) {
      const answer = await numbers(by);
      expect([by, ...sums(answer)]).toEqual([by, 3, 1, 1, 1]);
      expect(answer.total.payouts).toEqual([
        { currency: 'EUR', pendingMicros: '6000000', approvedMicros: '6000000' },
      ]);
    }
    expect((await numbers('sub_site')).rows.map((r) => [r.name, r.visits, r.conversions])).toEqual([
      ['owls', 2, 2],
      ['larks', 1, 1],
    ]);
    expect((await numbers('offer')).rows.map((r) => [r.id, r.name])).toEqual([
      [chain.offer.id, chain.offer.body.name],
    ]);
    const bad = await client.get(`/numbers?from=${today}&to=${today}&by=campaign_id`);
    expect(bad.status).toBe(422);
    expect((await client.get(`/numbers?from=${today}&to=${today}&by=sub_secret`)).status).toBe(404);
  });

  it('lists its conversions with what each pays, the sub-IDs, and the reason of a decision; none of another partner', async () => {
    const [partner, other] = [await newPartner(), await newPartner()];
    const client = await person(desk, partner);
    const chain = await ownOffer({
      partnerPayouts: [
        { eventTypeId: saleId, pays: 'fixed', amountMicros: '6000000', approval: 'days', afterDays: 10 },
      ],
    });
    const sold: string[] = [];
    for (const who of [partner, partner, partner, other]) {
      const clickId = await chain.send(`clk=own-${sold.length}&site=owls&partner=${who.id}`);
      await desk.say(
        chain.network.key,
        `click_id=${clickId}&transaction=SECRET${++serial}&payout=10&status=ok`,
      );
      const { rows } = await desk.pool.query<{ id: string }>(
        'SELECT id FROM conversions WHERE desk_id = $1 AND owner = $2',
        [desk.deskId, clickId],
      );
      sold.push(rows[0]!.id);
    }
    const review = (id: string, decision: string, reason: string) =>
      desk.owner.post<{ batchId: string }>('/conversions/review-payouts', { ids: [id], decision, reason });
    await review(sold[0]!, 'rejected', 'The same buyer twice.');
    await review(sold[1]!, 'approved', 'Checked by phone.');
    const list = async (query = '') =>
      (await client.get<{ rows: OwnConversion[]; next: string | null }>(`/conversions${query}`)).body;
    const all = await list();
    expect(all.rows.map((r) => [r.id, r.status, r.reason, r.dueAt !== null])).toEqual([
      [sold[2], 'pending', '', true],
      [sold[1], 'approved', 'Checked by phone.', false],
      [sold[0], 'rejected', 'The same buyer twice.', false],
    ]);
    expect(all.rows[0]).toMatchObject({ payoutMicros: '6000000', currency: 'EUR', subs: { site: 'owls' } });
    expect(all.rows.map((r) => r.clickId)).toEqual(['own-2', 'own-1', 'own-0']);
    expect(JSON.stringify(all)).not.toMatch(/SECRET|10000000/);
    expect((await list('?status=rejected')).rows.map((r) => r.id)).toEqual([sold[0]]);
    const first = await list('?limit=2');
    expect(first.rows).toHaveLength(2);
    expect((await list(`?limit=2&cursor=${first.next}`)).rows.map((r) => r.id)).toEqual([sold[0]]);
  });

  it('shows the partner’s statements and their lines, without what is the advertiser’s or the desk’s, and nobody else’s', async () => {
    const [partner, other] = [await newPartner(), await newPartner()];
    const client = await person(desk, partner);
    const chain = await ownOffer();
    const issued: Record<string, string> = {};
    for (const who of [partner, other]) {
      const clickId = await chain.send(`clk=${Math.random()}&partner=${who.id}`);
      await desk.say(chain.network.key, `click_id=${clickId}&transaction=SECRET-TX&payout=10&status=ok`);
      const { body } = await desk.owner.post<{ id: string }>('/billing/statements', {
        side: 'partner',
        partyId: who.id,
        currency: 'EUR',
      });
      issued[who.id] = body.id;
    }
    const all = (await client.get<{ open: object[]; statements: OwnStatement[] }>('/statements')).body;
    expect(all.statements.map((s) => [s.id, s.paidMicros])).toEqual([[issued[partner.id], '6000000']]);
    const lines = await client.get<{ rows: OwnLine[] }>(`/statements/${issued[partner.id]}/lines`);
    expect(lines.body.rows).toHaveLength(1);
    expect(JSON.stringify([all, lines.body])).not.toMatch(/SECRET-TX|issuedBy|clickId/);
    for (const path of ['', '/lines'])
      expect((await client.get(`/statements/${issued[other.id]}${path}`)).status).toBe(404);
  });
});
