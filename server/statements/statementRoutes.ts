/** A network's statement: compared, its lines shown, its differences booked. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from '../parts/partRecords.ts';
import {
  bookStatement,
  compareStatement,
  listStatements,
  oneStatement,
  statementLines,
} from './statementStore.ts';

export function statementRoutes(mount: Mount, { pool, models, news }: ApiGround): void {
  mount('listStatements', ({ signed: { deskId } }) => listStatements(pool, deskId));
  mount('statement', ({ signed: { deskId }, id }) => oneStatement(pool, deskId, id));
  mount('compareStatement', async ({ signed: { deskId }, id, body }) => {
    await findPart(models, deskId, 'network', body.networkId);
    return compareStatement(pool, deskId, id, body);
  });
  mount('statementLines', ({ signed: { deskId }, id, query }) => statementLines(pool, deskId, id, query));
  mount('bookStatement', async ({ signed: { deskId, memberId }, id, body }) => {
    const batch = await bookStatement(pool, { deskId, memberId }, id, body);
    news.tell(deskId, 'postbacks-in');
    return batch;
  });
}
