/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
import { ulidAt } from '../db/pooledUlid.ts';
import { callsDue, type FoldedConversion } from '@tracheon/core/conversions';
import type { Pipelined } from '../db/pools.ts';
import type { OwnerContext } from './ownerContext.ts';
import { postbackText } from './postbackText.ts';
import type { StandingCall } from './standing.ts';

export function storeCallsOut(
  client: Pipelined,
  context: OwnerContext,
  standing: readonly StandingCall[],
  conversions: readonly FoldedConversion[],
  ids: ReadonlyMap<string, string>,
): void {
  const { source, visit, deskId } = context;
  const told = source.body.postbackUrl !== '' && !visit.is_test && !visit.notes.includes('erased');
  for (const c of conversions) {
    const conversionId = ids.get(c.ident)!;
    const there = standing.filter((o) => o.conversion_id === conversionId);
    const due = told ? callsDue(c, source.body.tellStatuses) : [];
    const gone = there.filter((o) => o.untouched && !due.some((t) => t.status === o.status));
    if (gone.length > 0)
      client.write(
        `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0 AND status = ANY ($3)`,
        [deskId, conversionId, gone.map((o) => o.status)],
      );
    for (const [seq, transition] of due.entries()) {
      const url = postbackText(context, c, transition, conversionId);
      const same = there.find((o) => o.status === transition.status);
      if (same && (!same.untouched || (same.seq === seq && same.url === url))) continue;
      enter(client, context, conversionId, seq, transition.status, url);
    }
  }
}

/** What would come after its own successor is not sent any more: the source would read it as the newer one. */
function enter(
  client: Pipelined,
  { deskId, source, visit }: OwnerContext,
  conversionId: string,
  seq: number,
  status: string,
  url: string,
): void {
  client.write(
    `INSERT INTO outbox (id, desk_id, conversion_id, source_id, campaign_id, seq, status, url, state)
     SELECT $1, $2, $3, $4, $5, $6, $7, $8, CASE WHEN EXISTS (
       SELECT 1 FROM outbox WHERE desk_id = $2 AND conversion_id = $3 AND seq >= $6 AND status <> $7 AND state = 'delivered')
       THEN 'overtaken' ELSE 'waiting' END
     ON CONFLICT ON CONSTRAINT outbox_once DO UPDATE SET seq = excluded.seq, url = excluded.url
     WHERE outbox.state = 'waiting' AND outbox.tries = 0`,
    [ulidAt(Date.now()), deskId, conversionId, source.id, visit.campaign_id, seq, status, url],
  );
}
