/** *Check the page*, and what the last look found. */
import type { PartRecord } from '@tracheon/core/contract';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from '../parts/partRecords.ts';
import { checkPage, lastCheck } from './checkPage.ts';
import type { FetchPage } from './fetchPage.ts';

export interface FetchesPages {
  fetchPage: FetchPage;
}

export function pageRoutes(
  mount: Mount,
  { config, models, news, fetchPage, now }: ApiGround & FetchesPages,
): void {
  const landingPage = async (deskId: string, id: string) =>
    (await findPart(models, deskId, 'landing-page', id)) as PartRecord<'landing-page'>;
  mount('checkPage', async ({ signed: { deskId }, id }) => {
    const page = await landingPage(deskId, id);
    const at = new Date(now());
    const result = await checkPage(models, fetchPage, [config.tracking.origin], deskId, page, at);
    news.tell(deskId, 'parts');
    return result;
  });
  mount('lastPageCheck', async ({ signed: { deskId }, id }) => {
    await landingPage(deskId, id);
    return { check: await lastCheck(models, deskId, id) };
  });
}
