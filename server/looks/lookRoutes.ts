/** Looks at offers, through the desk's proxies; and offers that wait for their partner. */
import { listDomains } from '../domains/domainStore.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { MAX_PAGE_BYTES } from '../limits/limits.ts';
import { Problem } from '../problems/problem.ts';
import type { Walk } from '../setup/walk.ts';
import { loadLooked, lookAtOffer } from './lookAtOffer.ts';
import { listProxies, proxyOf, removeProxy, saveProxy } from './proxyStore.ts';
import { throughProxy } from './throughProxy.ts';
import { lookForPage, waitOf } from './waitingOffers.ts';

export function lookRoutes(mount: Mount, deps: ApiGround & { walk: Walk }): void {
  const { pool, models, config, now, news, walk } = deps;
  mount('listProxies', ({ signed: { deskId } }) => listProxies(pool, deskId));
  mount('saveProxy', async ({ signed, body }) => {
    await saveProxy(pool, config.secret, signed, body);
    return listProxies(pool, signed.deskId);
  });
  mount('removeProxy', async ({ signed: { deskId }, id }) => {
    if (!(await removeProxy(pool, deskId, id))) throw new Problem('not_found');
    return {};
  });
  const ownOrigins = async (deskId: string): Promise<string[]> =>
    (await listDomains(models, deskId, config.tracking.origin)).map((d) => d.origin);
  mount('lookAtOffer', async ({ signed: { deskId }, id, body }) => {
    const looked = await loadLooked(pool, deskId, id);
    if (looked.network.noLooks)
      throw new Problem('invalid_input', {
        fields: [
          {
            path: 'country',
            message: `${looked.network.name} forbids looks. You can change that at the network.`,
          },
        ],
      });
    const proxy = body.country === '' ? null : await proxyOf(pool, config.secret, deskId, body.country);
    if (body.country !== '' && !proxy)
      throw new Problem('invalid_input', {
        fields: [{ path: 'country', message: `You have no proxy in ${body.country}. Add one in Settings.` }],
      });
    const looking = { walk, ownOrigins: await ownOrigins(deskId), nowMs: now() };
    const through = proxy ? throughProxy(proxy, config.allowOutgoing, MAX_PAGE_BYTES) : undefined;
    try {
      return { ...(await lookAtOffer(looking, looked, body, through)), isThroughProxy: proxy !== null };
    } finally {
      await through?.destroy();
    }
  });
  mount('offerWait', async ({ signed: { deskId }, id }) => {
    return waitOf(pool, (await loadLooked(pool, deskId, id)).offer.id);
  });
  mount('lookNow', async ({ signed: { deskId }, id }) => {
    const look = { walk, ownOrigins: await ownOrigins(deskId) };
    const wait = await lookForPage({ pool, look, now, tell: () => undefined }, deskId, id);
    news.tell(deskId, 'parts');
    return wait;
  });
}
