/** Statements to partners and advertisers, and payments to partners. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { issue, voidStatement } from './issue.ts';
import { listPayments, makePayment, movePayment } from './payments.ts';
import { billingLines, billingOpen, billingStatement, billingStatements } from './statementRecords.ts';

export function billingRoutes(mount: Mount, { pool, news, now }: ApiGround): void {
  const told = async <T>(deskId: string, answer: Promise<T>): Promise<T> => {
    const done = await answer;
    news.tell(deskId, 'billing');
    return done;
  };
  mount('billingOpen', ({ signed: { deskId }, query: { side } }) => billingOpen(pool, deskId, side));
  mount('billingStatements', ({ signed: { deskId }, query: { side } }) =>
    billingStatements(pool, deskId, side),
  );
  mount('billingStatement', ({ signed: { deskId }, id }) => billingStatement(pool, deskId, id));
  mount('billingLines', ({ signed: { deskId }, id, query }) => billingLines(pool, deskId, id, query));
  mount('issueBillingStatement', ({ signed, body }) => told(signed.deskId, issue(pool, signed, body, now())));
  mount('voidBillingStatement', ({ signed, id, body: { reason } }) =>
    told(signed.deskId, voidStatement(pool, signed, id, reason)),
  );
  mount('listPayments', ({ signed: { deskId } }) => listPayments(pool, deskId));
  mount('makePayment', ({ signed, body: { statementIds } }) =>
    told(signed.deskId, makePayment(pool, signed, statementIds, now())),
  );
  mount('movePayment', ({ signed, id, body }) => told(signed.deskId, movePayment(pool, signed, id, body)));
}
