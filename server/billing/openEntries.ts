/**
 * Entries of the ledger that no statement holds yet, as SQL that the list of what is open and the issuing of a statement
 * share. Which of them a statement takes is said plainly by `payableEntries` of core, which tests hold this against.
 */
import type { BillingSide } from '@tracheon/core/contract';

/** What is billed on each side, and what waits to be decided. */
export const kindsOf: Record<BillingSide, { earned: string; onHold: string }> = {
  partner: { earned: 'partner', onHold: 'partner_hold' },
  advertiser: { earned: 'earn', onHold: 'hold' },
};
export const partKindOf: Record<BillingSide, 'partner' | 'network'> = {
  partner: 'partner',
  advertiser: 'network',
};

/** A conversion that is gone stays with the party whose statement had it. */
const partyOf: Record<BillingSide, string> = {
  partner: 'l.partner_id',
  advertiser: `coalesce(c.network_id, (SELECT s.party_id FROM billing_entries b JOIN billing_statements s ON s.id = b.statement_id
    WHERE b.conversion_id = l.conversion_id AND s.side = 'advertiser' LIMIT 1), '')`,
};

/** Of the desk $1: entries of a kind, each with its party; tests are nobody's money. */
const entries = (side: BillingSide, kind: string): string =>
  `SELECT l.id, l.conversion_id, l.currency, l.delta_micros, l.booked_at, ${partyOf[side]} AS party_id
   FROM ledger l LEFT JOIN conversions c ON c.id = l.conversion_id
   WHERE l.desk_id = $1 AND l.kind = '${kind}' AND l.delta_micros <> 0 AND c.is_test IS NOT TRUE
     ${side === 'partner' ? `AND l.partner_id <> ''` : ''}`;

/** What waits to be decided. */
export const heldEntries = (side: BillingSide): string => entries(side, kindsOf[side].onHold);

/** `until`: SQL of the moment up to which entries count; each says whether a statement takes it. */
export const openEntries = (side: BillingSide, until: string): string =>
  `SELECT o.*, coalesce(sum(o.delta_micros) OVER w <= 0
       OR coalesce(max(o.booked_at) FILTER (WHERE o.delta_micros > 0) OVER w
         <= ${until} - make_interval(days => coalesce((p.body->>'payAfterDays')::int, 0)), true), false) AS is_payable
   FROM (${entries(side, kindsOf[side].earned)}) o JOIN parts p ON p.id = o.party_id AND p.kind = '${partKindOf[side]}'
   WHERE o.booked_at < ${until} AND NOT EXISTS (SELECT 1 FROM billing_entries b WHERE b.ledger_id = o.id)
   WINDOW w AS (PARTITION BY o.party_id, o.currency, o.conversion_id)`;
