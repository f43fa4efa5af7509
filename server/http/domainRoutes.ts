/** Tracking domains, and links that were pasted into sources. */
import { keepCheck, listDomains, oneDomain, removeDomain, saveDomain } from '../domains/domainStore.ts';
import { listPasted, tickPasted } from '../domains/pastedLinks.ts';
import type { Mount } from './mount.ts';
import type { ApiDeps } from './routes.ts';

export function domainRoutes(mount: Mount, { config, pool, news, checkDomain, now }: ApiDeps): void {
  /** The listeners themselves, by the names that they have outside and inside. */
  const own = (): Set<string> =>
    new Set(
      [config.tracking, config.desk].flatMap(({ origin, host, port }) => [
        new URL(origin).host,
        `${host}:${port}`,
      ]),
    );
  mount('listDomains', ({ signed }) => listDomains(pool, signed.deskId, config.tracking.origin));
  mount('addDomain', async ({ signed, body }) => {
    const row = await saveDomain(pool, signed.deskId, body, null, own());
    news.tell(signed.deskId, 'parts');
    return row;
  });
  mount('changeDomain', async ({ signed, id, body }) => {
    const row = await saveDomain(pool, signed.deskId, body, id, own());
    news.tell(signed.deskId, 'parts');
    return row;
  });
  mount('removeDomain', async ({ signed, id }) => {
    await removeDomain(pool, signed.deskId, id);
    return {};
  });
  mount('checkDomain', async ({ signed: { deskId }, id }) => {
    const domain = await oneDomain(pool, deskId, id);
    const check = await checkDomain(domain.origin, now());
    await keepCheck(pool, deskId, id, check);
    return check;
  });
  mount('listPasted', ({ signed }) => listPasted(pool, signed.deskId));
  mount('tickPasted', async ({ signed, id, body }) => {
    await tickPasted(pool, signed, id, body.query);
    news.tell(signed.deskId, 'parts');
    return {};
  });
}
