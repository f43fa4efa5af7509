/** Looks at a landing page now, and keeps what was found as its last look. */
import { Op } from 'sequelize';
import { pageCheck, type LandingPageInput, type PageCheck, type PartRecord } from '@tracheon/core/contract';
import { pageLink } from '@tracheon/core/links';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import type { Models } from '../db/models.ts';
import type { FetchPage } from './fetchPage.ts';
import { judgePage } from './judgePage.ts';

/** A click ID that no visit ever has: its time is the year 1970. */
export const SAMPLE_CLICK_ID = '00000000000000000000000000';

export async function checkPage(
  models: Models,
  fetchPage: FetchPage,
  ownOrigins: readonly string[],
  deskId: string,
  page: PartRecord<'landing-page'>,
  at: Date,
): Promise<PageCheck> {
  const fetched = await fetchPage(sampleAddress(page.body));
  const look = {
    landingKey: page.key,
    buttons: page.body.buttons,
    ownOrigins,
    sampleClickId: SAMPLE_CLICK_ID,
  };
  const result = judgePage(fetched, look, at);
  const found = { deskId, at, result };
  const [, isFirst] = await models.PageCheck.findOrCreate({
    where: { partId: page.id },
    defaults: { partId: page.id, ...found },
  });
  // A slower look that was begun earlier must not replace a newer one.
  if (!isFirst) await models.PageCheck.update(found, { where: { partId: page.id, at: { [Op.lt]: at } } });
  return result;
}

/** The page's address as a visitor gets it; tokens of whom nothing is known stay empty. */
const sampleAddress = ({ url }: LandingPageInput): string =>
  expandTemplate(compileTemplate(pageLink(url)), (name) =>
    name === 'click_id' ? SAMPLE_CLICK_ID : undefined,
  );

export async function lastCheck(models: Models, deskId: string, partId: string): Promise<PageCheck | null> {
  const found = await models.PageCheck.findOne({ where: { deskId, partId } });
  return found && pageCheck.parse(found.get().result);
}
