/** The entries of the ledger that a conversion stands for. */
import { statusOf, type LedgerKind } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';
import type { FoldedConversion } from './folded.ts';

/** What stands of a folded conversion in the ledger: the revenue, and what its partner gets; each in its own currency. */
export function balances(
  c: Pick<FoldedConversion, 'status' | 'payout' | 'currency' | 'partner'>,
): { kind: LedgerKind; currency: string; balance: Micros }[] {
  const revenue = kindsOf.map((kind) => ({
    kind,
    currency: c.currency,
    balance: statusOf[c.status].balance === kind ? c.payout : 0n,
  }));
  const { partner } = c;
  if (partner === null) return revenue;
  const owed = kindsOf.map((kind) => ({
    kind: partnerKindOf[kind],
    currency: partner.currency,
    balance: statusOf[partner.status].balance === kind ? partner.amount : 0n,
  }));
  return [...revenue, ...owed];
}
const kindsOf = ['hold', 'earn'] as const;
const partnerKindOf = { hold: 'partner_hold', earn: 'partner' } as const;
