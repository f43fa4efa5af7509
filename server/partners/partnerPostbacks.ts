/** What a partner wants to be told of its conversions: kept, tried, and what it was told. Sending is the outbox's. */
import type { Pool } from 'pg';
import type { PostbackOfPartner } from '@tracheon/core/contract';
import type { PartnerPostbackInput, SentToPartner } from '@tracheon/core/contract/partnerPage';
import { checkLink } from '@tracheon/core/links';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import { Refused, type Call } from '../notify/outgoing.ts';
import { Problem } from '../problems/problem.ts';

const LATEST = 20;
const MAX_SAYS = 200;
const none: PartnerPostbackInput = { method: 'get', url: '', statuses: ['pending', 'approved', 'rejected'] };

interface Whose {
  deskId: string;
  partnerId: string;
}

export async function partnerPostback(
  pool: Pool,
  { deskId, partnerId }: Whose,
): Promise<PartnerPostbackInput> {
  const { rows } = await pool.query<PartnerPostbackInput>(
    'SELECT method, url, statuses FROM partner_postbacks WHERE desk_id = $1 AND partner_id = $2',
    [deskId, partnerId],
  );
  return rows[0] ?? none;
}

/** As the desk sees it. */
export async function postbackOfPartner(
  pool: Pool,
  { deskId, partnerId }: Whose,
): Promise<PostbackOfPartner | null> {
  const { rows } = await pool.query<{
    stored: (PartnerPostbackInput & { changedAt: Date; changedBy: string }) | null;
  }>(
    `SELECT CASE WHEN p.partner_id IS NOT NULL THEN json_build_object('method', p.method, 'url', p.url, 'statuses', p.statuses,
       'changedAt', p.changed_at, 'changedBy', coalesce(u.name, '')) END AS stored
     FROM parts r LEFT JOIN partner_postbacks p ON p.desk_id = r.desk_id AND p.partner_id = r.id
       LEFT JOIN partner_users u ON u.id = p.changed_by
     WHERE r.desk_id = $1 AND r.id = $2 AND r.kind = 'partner'`,
    [deskId, partnerId],
  );
  if (!rows[0]) throw new Problem('not_found');
  const { stored } = rows[0];
  return stored && { ...stored, changedAt: new Date(stored.changedAt).toISOString() };
}

/** Refused where the URL could not be called as it stands. */
export async function savePartnerPostback(
  pool: Pool,
  { deskId, partnerId, userId }: Whose & { userId: string },
  input: PartnerPostbackInput,
): Promise<PartnerPostbackInput> {
  refuseBadLink(input.url);
  if (input.url === '')
    await pool.query('DELETE FROM partner_postbacks WHERE desk_id = $1 AND partner_id = $2', [
      deskId,
      partnerId,
    ]);
  else
    await pool.query(
      `INSERT INTO partner_postbacks (desk_id, partner_id, method, url, statuses, changed_by) VALUES ($1, $2, $3, $4, $5, $6)
       ON CONFLICT (desk_id, partner_id) DO UPDATE SET method = excluded.method, url = excluded.url,
         statuses = excluded.statuses, changed_at = now(), changed_by = excluded.changed_by`,
      [deskId, partnerId, input.method, input.url, JSON.stringify(input.statuses), userId],
    );
  return input;
}

function refuseBadLink(url: string): void {
  if (url === '') return;
  const fields = checkLink(url, { expander: 'we', place: 'partner' })
    .filter((f) => f.weight === 'stop')
    .map((f) => ({ path: 'url', message: f.sentence }));
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}

export async function latestToPartner(pool: Pool, { deskId, partnerId }: Whose): Promise<SentToPartner[]> {
  const { rows } = await pool.query<Omit<SentToPartner, 'at'> & { at: Date }>(
    `SELECT o.id, o.created_at AS at, o.status, o.url, o.state, coalesce((SELECT a.result FROM attempts a
       WHERE a.outbox_id = o.id ORDER BY a.id DESC LIMIT 1), '') AS result
     FROM outbox o WHERE o.desk_id = $1 AND o.destination_id = $2 ORDER BY o.id DESC LIMIT ${LATEST}`,
    [deskId, partnerId],
  );
  return rows.map((r) => ({ ...r, at: r.at.toISOString() }));
}

/** Made-up values, which say that they are. */
const sample: Record<string, string> = {
  source_click_id: 'test-click-id',
  offer_id: 'test',
  offer_name: 'Test offer',
  event: 'test',
  status: 'approved',
  status_before: 'pending',
  partner_payout: '1.00',
  partner_payout_currency: 'EUR',
};

export async function tryPostback(
  call: Call,
  template: string,
  nowMs: number,
): Promise<{ url: string; isTaken: boolean; says: string }> {
  refuseBadLink(template);
  const times: Record<string, string> = {
    conversion_time: new Date(nowMs).toISOString(),
    conversion_unix: String(Math.floor(nowMs / 1000)),
  };
  const url = expandTemplate(
    compileTemplate(template),
    (name) => sample[name] ?? times[name] ?? (name.startsWith('partner_sub_') ? 'test' : undefined),
  );
  try {
    const { status } = await call(url, { 'User-Agent': 'Tracheon' });
    const isTaken = status >= 200 && status < 300;
    return {
      url,
      isTaken,
      says: isTaken
        ? `Your server answered ${status}. It takes postbacks.`
        : `Your server answered ${status}. Only an answer from 200 to 299 counts as taken.`,
    };
  } catch (error) {
    const { cause, message } = error as Error;
    const isRefused = error instanceof Refused || cause instanceof Refused;
    return {
      url,
      isTaken: false,
      says: isRefused
        ? 'Tracheon does not call this address, because it is not public.'
        : `There was no answer: ${message.slice(0, MAX_SAYS)}`,
    };
  }
}
