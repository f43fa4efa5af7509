/**
 * A postback out that goes once more, built anew from the templates of the source, its account or the partner as they are today. Its amount
 * stays that of the change that it reports. Null when nobody wants it any more.
 */
import type { Pool } from 'pg';
import type { ConversionStatus } from '@tracheon/core/contract';
import { inPipeline } from '../db/pools.ts';
import { requestToday } from './bookPostbacksOut.ts';
import { foldOfConversion } from './foldOfConversion.ts';
import type { PostbackRequest } from './postbackText.ts';
import { Rates } from './rates.ts';

export interface SentBefore {
  conversionId: string;
  status: ConversionStatus;
  nth: number;
  destinationId: string;
}

export const postbackAgain = (
  pool: Pool,
  deskId: string,
  { conversionId, ...of }: SentBefore,
): Promise<PostbackRequest | null> =>
  inPipeline(pool, async (client) => {
    const found = await foldOfConversion(client, deskId, conversionId);
    if (!found) return null;
    const { context, folded, extras, reported } = found;
    if (reported === false && of.destinationId === context.source?.id) return null;
    return requestToday(new Rates(client), context, folded, { id: conversionId, extras }, of);
  });
