/** Tracking domains, and links that were pasted into sources. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import type { CheckDomain } from './checkDomain.ts';
import { keepCheck, listDomains, oneDomain, removeDomain, saveDomain } from './domainStore.ts';
import { listPasted, tickPasted } from './pastedLinks.ts';

export interface ChecksDomains {
  checkDomain: CheckDomain;
}

export function domainRoutes(
  mount: Mount,
  { config, models, news, checkDomain, now }: ApiGround & ChecksDomains,
): void {
  /** The listeners themselves, by the names that they have outside and inside. */
  const own = (): Set<string> =>
    new Set(
      [config.tracking, config.desk, config.partners].flatMap(({ origin, host, port }) => [
        new URL(origin).host,
        `${host}:${port}`,
      ]),
    );
  /** Where members and partners sign in: cookies ignore ports, so no link may be at these hosts at all. */
  const closed = (): Set<string> =>
    new Set([config.desk, config.partners].map(({ origin }) => new URL(origin).hostname));
  mount('listDomains', ({ signed }) => listDomains(models, signed.deskId, config.tracking.origin));
  mount('addDomain', async ({ signed, body }) => {
    const row = await saveDomain(models, signed.deskId, body, null, { own: own(), closed: closed() });
    news.tell(signed.deskId, 'parts');
    return row;
  });
  mount('changeDomain', async ({ signed, id, body }) => {
    const row = await saveDomain(models, signed.deskId, body, id, { own: own(), closed: closed() });
    news.tell(signed.deskId, 'parts');
    return row;
  });
  mount('removeDomain', async ({ signed, id }) => {
    await removeDomain(models, signed.deskId, id);
    return {};
  });
  mount('checkDomain', async ({ signed: { deskId }, id }) => {
    const domain = await oneDomain(models, deskId, id);
    const check = await checkDomain(domain.origin, now());
    await keepCheck(models, deskId, id, check);
    return check;
  });
  mount('listPasted', ({ signed }) => listPasted(models, signed.deskId));
  mount('tickPasted', async ({ signed, id, body }) => {
    await tickPasted(models, signed, id, body.query);
    news.tell(signed.deskId, 'parts');
    return {};
  });
}
