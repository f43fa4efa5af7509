/** Setup sheets and tests. */
import { deskOf } from '../accounts/deskOf.ts';
import { TestMarks } from '../capture/testMarks.ts';
import { listDomains } from '../domains/domainStore.ts';
import { refuseOwnLinks } from '../domains/ownLinks.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { goLive } from './goLive.ts';
import { changeSheet, createSheet, listSheets, openSheet, removeSheet } from './sheetStore.ts';
import { sendLiveTest } from './liveTest.ts';
import { fireTestConversion, makeTestLink, pressTestButton, sendTestVisit } from './tester.ts';
import { followForReal } from './followForReal.ts';
import type { Walk } from './walk.ts';
import type { TestRequest } from './testRequests.ts';

export type SetupDeps = ApiGround & { testRequest: TestRequest; walk: Walk };

export function setupRoutes(mount: Mount, deps: SetupDeps): void {
  sheetRoutes(mount, deps);
  testRoutes(mount, deps);
}

function sheetRoutes(mount: Mount, { models, news, config }: ApiGround): void {
  mount('listSheets', ({ signed }) => listSheets(models, signed.deskId));
  mount('createSheet', async ({ signed, body }) => {
    const sheet = await createSheet(models, signed, body.body);
    news.tell(signed.deskId, 'sheets');
    return sheet;
  });
  mount('sheet', ({ signed, id }) => openSheet(models, signed, id));
  mount('changeSheet', async ({ signed, id, body }) => {
    const answer = await changeSheet(models, signed, id, body.version, body.changes);
    if (answer.collided.length === 0) news.tell(signed.deskId, 'sheets');
    return answer;
  });
  mount('removeSheet', async ({ signed, id }) => {
    await removeSheet(models, signed.deskId, id);
    news.tell(signed.deskId, 'sheets');
    return {};
  });
  mount('goLive', async ({ signed, id }) => {
    const { body } = await openSheet(models, signed, id);
    const links: [string, string][] = [['fallbackUrl', body.fallbackUrl]];
    if (body.offerId === '') links.push(['link', body.link]);
    await refuseOwnLinks(models, signed.deskId, config.tracking.origin, links);
    const made = await goLive(models, signed, await deskOf(models, signed.deskId), id);
    news.tell(signed.deskId, 'parts', 'sheets');
    return { ...made, sheet: await openSheet(models, signed, id) };
  });
}

function testRoutes(mount: Mount, { config, models, pool, now, testRequest, walk }: SetupDeps): void {
  const tester = { models, pool, marks: new TestMarks(config.secret), ask: testRequest, now };
  /** The default tracking domain: the one whose links are given out. */
  const origin = async (deskId: string): Promise<string> =>
    (await listDomains(models, deskId, config.tracking.origin)).find((d) => d.isDefault)!.origin;
  mount('testLink', async ({ signed: { deskId }, id, body }) =>
    makeTestLink(tester, deskId, await origin(deskId), id, body),
  );
  mount('testVisit', async ({ signed: { deskId }, id, body }) =>
    sendTestVisit(tester, deskId, await origin(deskId), id, body),
  );
  mount('follow', async ({ signed: { deskId }, id, body }) => {
    const domains = await listDomains(models, deskId, config.tracking.origin);
    const own = domains.map((d) => d.origin);
    return followForReal({ ...tester, walk }, deskId, await origin(deskId), own, id, body);
  });
  mount('testClick', async ({ signed: { deskId }, id, body }) =>
    pressTestButton(tester, deskId, await origin(deskId), id, body.n),
  );
  mount('testConversion', async ({ signed: { deskId }, id, body }) =>
    fireTestConversion(tester, deskId, await origin(deskId), id, body),
  );
  mount('testNetwork', async ({ signed: { deskId }, id, body }) =>
    sendLiveTest(tester, { deskId, origin: await origin(deskId) }, 'network', id, body),
  );
  mount('testOffer', async ({ signed: { deskId }, id, body }) =>
    sendLiveTest(tester, { deskId, origin: await origin(deskId) }, 'offer', id, body),
  );
}
