/** Looks at a landing page now, and keeps what was found as its last look. */
import type { Pool } from 'pg';
import { pageCheck, type LandingPageInput, type PageCheck, type PartRecord } from '@tracheon/core/contract';
import { pageLink } from '@tracheon/core/links';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import type { FetchPage } from './fetchPage.ts';
import { judgePage } from './judgePage.ts';

/** A click ID that no visit ever has: its time is the year 1970. */
export const SAMPLE_CLICK_ID = '00000000000000000000000000';

export async function checkPage(
  pool: Pool,
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
  await pool.query(
    `INSERT INTO page_checks (part_id, desk_id, at, result) VALUES ($1, $2, $3, $4)
     ON CONFLICT (part_id) DO UPDATE SET at = excluded.at, result = excluded.result WHERE page_checks.at < excluded.at`,
    [page.id, deskId, at, JSON.stringify(result)],
  );
  return result;
}

/** The page's address as a visitor gets it; tokens of whom nothing is known stay empty. */
const sampleAddress = ({ url }: LandingPageInput): string =>
  expandTemplate(compileTemplate(pageLink(url)), (name) =>
    name === 'click_id' ? SAMPLE_CLICK_ID : undefined,
  );

export async function lastCheck(pool: Pool, deskId: string, partId: string): Promise<PageCheck | null> {
  const { rows } = await pool.query<{ result: unknown }>(
    'SELECT result FROM page_checks WHERE desk_id = $1 AND part_id = $2',
    [deskId, partId],
  );
  return rows[0] ? pageCheck.parse(rows[0].result) : null;
}
