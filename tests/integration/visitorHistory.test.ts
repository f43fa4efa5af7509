/** Branches that ask what this browser did before: which offers it went to, and whether a visit of it has converted. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { PartRecord } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, untilLive, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let other: Chain;
/** Asks for both; everybody else goes the way of otherwise. */
let asking: PartRecord<'campaign'>;

const asks = (on: string, ...values: string[]) => ({ on, op: 'is', values });
const branch = (id: string, when: object) => ({
  id,
  name: id,
  when,
  pairings: [{ id: `p-${id}`, offerIds: [chain.offer.id] }],
});
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
  other = await desk.chain();
  asking = await desk.make('campaign', {
    ...chain.campaign.body,
    name: 'Who comes back',
    offerId: '',
    routing: {
      branches: [
        branch('converted', asks('has_converted', 'yes')),
        branch('both', { all: [asks('seen_offer', chain.offer.id), asks('seen_offer', other.offer.id)] }),
        branch('seen', asks('seen_offer', chain.offer.id)),
      ],
      otherwise: { pairings: [{ id: 'new', offerIds: [other.offer.id] }] },
    },
  });
  await untilLive(desk, asking.key);
});
afterAll(() => desk.close());

/** One browser: keeps what it is given. */
function browser() {
  const jar = new Map<string, string>();
  const go = async (path: string): Promise<URL> => {
    const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
    const res = await desk.visit(path, cookie === '' ? {} : { Cookie: cookie });
    for (const line of res.headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(line)!;
      jar.set(name!, value!);
    }
    return new URL(res.headers.get('location')!);
  };
  return {
    jar,
    go,
    visit: async (key: string): Promise<string> =>
      /[0-9A-HJKMNP-TV-Z]{26}/.exec((await go(`/v/${key}?clk=h`)).href)![0],
  };
}
async function branchOf(clickId: string): Promise<string> {
  let found = '';
  await until(async () => {
    const { rows } = await desk.pool.query<{ branch: string }>(
      'SELECT branch_id AS branch FROM visits WHERE desk_id = $1 AND id = $2',
      [desk.deskId, clickId],
    );
    found = rows[0]?.branch ?? '';
    return found !== '';
  }, 'the visit');
  return found;
}

it('a browser is known by the offers it went to; one without a cookie, or with a forged one, is new', async () => {
  const regular = browser();
  expect(await branchOf(await regular.visit(asking.key))).toBe('otherwise');
  expect(await branchOf(await regular.visit(asking.key))).toBe('otherwise');
  await regular.visit(chain.campaign.key);
  // Of the first visits it has the other offer already.
  expect(await branchOf(await regular.visit(asking.key))).toBe('both');
  const once = browser();
  await once.visit(chain.campaign.key);
  expect(await branchOf(await once.visit(asking.key))).toBe('seen');
  expect(await branchOf(await browser().visit(asking.key))).toBe('otherwise');
  const forger = browser();
  forger.jar.set(
    'last_visits',
    once.jar
      .get('last_visits')!
      .split('~')
      .map((entry) => `${entry.slice(0, -4)}AAAA`)
      .join('~'),
  );
  expect(await branchOf(await forger.visit(asking.key))).toBe('otherwise');
});

it('a browser whose visit converted is known, until that conversion is rejected; a test is not remembered', async () => {
  const buyer = browser();
  const bought = await buyer.visit(chain.campaign.key);
  expect(await branchOf(await buyer.visit(asking.key))).toBe('seen');
  expect((await desk.say(chain.network.key, `click_id=${bought}&payout=5`)).outcome).toBe('accepted');
  await until(async () => (await branchOf(await buyer.visit(asking.key))) === 'converted', 'what was booked');
  // Somebody else is not.
  expect(await branchOf(await browser().visit(asking.key))).toBe('otherwise');
  expect((await desk.say(chain.network.key, `click_id=${bought}&status=rejected`)).outcome).toBe('updated');
  await until(async () => (await branchOf(await buyer.visit(asking.key))) !== 'converted', 'the rejection');

  const tester = browser();
  const { url } = (
    await desk.owner.post<{ url: string }>(`/campaigns/${chain.campaign.id}/test-link`, { country: 'BE' })
  ).body;
  await tester.go(new URL(url).pathname + new URL(url).search);
  expect(await branchOf(await tester.visit(asking.key))).toBe('otherwise');
});

it('only the last eight visits count, and only those of the same desk', async () => {
  const busy = browser();
  await busy.visit(chain.campaign.key);
  for (let n = 0; n < 8; n++) await busy.visit(other.campaign.key);
  expect(busy.jar.get('last_visits')!.split('~')).toHaveLength(8);
  expect(await branchOf(await busy.visit(asking.key))).toBe('otherwise');

  const stranger = await makeDesk();
  try {
    const theirs = await stranger.chain();
    const guest = browser();
    await guest.visit(theirs.campaign.key);
    expect(await branchOf(await guest.visit(asking.key))).toBe('otherwise');
  } finally {
    await stranger.close();
  }
});

it('an offer that a condition asks for is in use: it cannot be archived, and an unknown one is refused', async () => {
  const asked = await desk.make('offer', { ...chain.offer.body, name: 'Asked for alone' });
  const body = (id: string) => ({
    ...asking.body,
    name: 'Asks for one more',
    routing: {
      branches: [branch('one', { not: asks('seen_offer', id) })],
      otherwise: asking.body.routing!.otherwise,
    },
  });
  await desk.make('campaign', body(asked.id));
  const archived = await desk.owner.put(`/parts/offer/${asked.id}/state`, { state: 'archived', version: 1 });
  expect(archived.status).toBe(409);
  const unknown = await desk.owner.post('/parts/campaign', {
    ...body('01M8ZZZZZZ0123456789ABCDEF'),
    name: 'x',
  });
  expect(unknown.status).toBe(422);
});
