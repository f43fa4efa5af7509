/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
import type { PoolClient } from 'pg';
import { ulid } from 'ulid';
import { callsDue, type FoldedConversion } from '@tracheon/core/conversions';
import type { OwnerContext } from './ownerContext.ts';
import { postbackText } from './postbackText.ts';

interface Outgoing {
  conversion_id: string;
  seq: number;
  status: string;
  url: string;
  untouched: boolean;
}

export async function storeCallsOut(
  client: PoolClient,
  context: OwnerContext,
  conversions: readonly FoldedConversion[],
  ids: ReadonlyMap<string, string>,
): Promise<void> {
  const { source, visit, deskId } = context;
  const { rows: standing } = await client.query<Outgoing>(
    `SELECT conversion_id, seq, status, url, state = 'waiting' AND tries = 0 AS untouched FROM outbox
     WHERE desk_id = $1 AND conversion_id = ANY ($2)`,
    [deskId, [...ids.values()]],
  );
  const told = source.body.postbackUrl !== '' && !visit.is_test;
  for (const c of conversions) {
    const conversionId = ids.get(c.ident)!;
    const there = standing.filter((o) => o.conversion_id === conversionId);
    const due = told ? callsDue(c, source.body.tellStatuses) : [];
    const gone = there.filter((o) => o.untouched && !due.some((t) => t.status === o.status));
    if (gone.length > 0)
      await client.query(
        `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0 AND status = ANY ($3)`,
        [deskId, conversionId, gone.map((o) => o.status)],
      );
    for (const [seq, transition] of due.entries()) {
      const url = postbackText(context, c, transition, conversionId);
      const same = there.find((o) => o.status === transition.status);
      if (same && (!same.untouched || (same.seq === seq && same.url === url))) continue;
      await enter(client, context, conversionId, seq, transition.status, url);
    }
  }
}

/** What would come after its own successor is not sent any more: the source would read it as the newer one. */
async function enter(
  client: PoolClient,
  { deskId, source, visit }: OwnerContext,
  conversionId: string,
  seq: number,
  status: string,
  url: string,
): Promise<void> {
  await client.query(
    `INSERT INTO outbox (id, desk_id, conversion_id, source_id, campaign_id, seq, status, url, state)
     SELECT $1, $2, $3, $4, $5, $6, $7, $8, CASE WHEN EXISTS (
       SELECT 1 FROM outbox WHERE desk_id = $2 AND conversion_id = $3 AND seq >= $6 AND status <> $7 AND state = 'delivered')
       THEN 'overtaken' ELSE 'waiting' END
     ON CONFLICT ON CONSTRAINT outbox_once DO UPDATE SET seq = excluded.seq, url = excluded.url
     WHERE outbox.state = 'waiting' AND outbox.tries = 0`,
    [ulid(), deskId, conversionId, source.id, visit.campaign_id, seq, status, url],
  );
}
