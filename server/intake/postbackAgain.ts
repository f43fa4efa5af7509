/**
 * A postback out that goes once more, built anew from the source's templates and the account as they are today. Its amount
 * stays that of the change that it reports. Null when the source no longer wants it.
 */
import type { Pool } from 'pg';
import type { ConversionStatus } from '@tracheon/core/contract';
import { inPipeline } from '../db/pools.ts';
import { requestToday } from './bookPostbacksOut.ts';
import { foldOfConversion } from './foldOfConversion.ts';
import { isSourced } from './ownerContext.ts';
import type { PostbackRequest } from './postbackText.ts';
import { Rates } from './rates.ts';

export interface SentBefore {
  conversionId: string;
  status: ConversionStatus;
  nth: number;
}

export const postbackAgain = (
  pool: Pool,
  deskId: string,
  { conversionId, ...of }: SentBefore,
): Promise<PostbackRequest | null> =>
  inPipeline(pool, async (client) => {
    const found = await foldOfConversion(client, deskId, conversionId);
    if (!found || found.reported === false || !isSourced(found.context)) return null;
    const { folded, extras } = found;
    return requestToday(new Rates(client), found.context, folded, { id: conversionId, extras }, of);
  });
