/** The exact request that a source would get for one of its conversions, by settings that need not be saved yet. */
import type { Pool } from 'pg';
import {
  partInputs,
  type BodyKind,
  type PostbackMethod,
  type PostbackPreview,
  type SourceInput,
} from '@tracheon/core/contract';
import { bodyTypes, fillBody } from '@tracheon/core/links';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import { inPipeline, type Reads } from '../db/pools.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { whyNotSent, requestNow } from './bookPostbacksOut.ts';
import { foldOfConversion } from './foldOfConversion.ts';
import { isSourced } from './ownerContext.ts';
import type { PostbackRequest } from './postbackText.ts';
import { Rates } from './rates.ts';

export function previewRoutes(mount: Mount, { judging }: ApiGround & { judging: Pool }): void {
  mount('previewPostback', ({ signed: { deskId }, id, body }) =>
    previewPostback(
      judging,
      deskId,
      { id, body: parseInput(partInputs.source, body.body) },
      body.conversionId,
    ),
  );
}

interface ProposedSource {
  id: string;
  body: SourceInput;
}

/** `judging` is a pool opened with `pipeline`. */
const previewPostback = (
  judging: Pool,
  deskId: string,
  source: ProposedSource,
  conversionId: string,
): Promise<PostbackPreview> =>
  inPipeline(judging, async (client) => {
    const id = conversionId || (await newestOf(client, deskId, source.id));
    if (id === null)
      return { ...shown(source.body, withTokenNames(source.body)), conversion: null, whyNot: '' };
    const found = await foldOfConversion(client, deskId, id);
    if (!found || !isSourced(found.context) || found.context.source.id !== source.id)
      throw new Problem('not_found');
    const { folded, extras } = found;
    const context = { ...found.context, source: { ...found.context.source, body: source.body } };
    const request = await requestNow(new Rates(client), context, folded, { id, extras });
    return {
      ...shown(source.body, request),
      conversion: {
        id,
        at: new Date(folded.convertedAt).toISOString(),
        status: folded.status,
        campaignName: context.campaign.name,
      },
      whyNot: found.reported === false ? NOT_OF_THE_SHARE : whyNotSent(context, folded),
    };
  });

const NOT_OF_THE_SHARE = 'This conversion is not in the share that you report.';

async function newestOf(client: Reads, deskId: string, sourceId: string): Promise<string | null> {
  const { rows } = await client.query<{ id: string }>(
    'SELECT id FROM conversions WHERE desk_id = $1 AND source_id = $2 ORDER BY desk_id, id DESC LIMIT 1',
    [deskId, sourceId],
  );
  return rows[0]?.id ?? null;
}

/** Without a conversion each value is the name of its token. */
const withTokenNames = ({
  postbackMethod: method,
  postbackUrl,
  postbackBody,
}: SourceInput): PostbackRequest => ({
  method,
  url: expandTemplate(compileTemplate(postbackUrl), (name) => name),
  body: isPost(method) ? fillBody(method, postbackBody, (name) => name) : '',
});

const HIDDEN = '(secret)';
const isPost = (method: PostbackMethod): method is BodyKind => method === 'form' || method === 'json';

function shown(
  { postbackHeaders }: SourceInput,
  { method, url, body }: PostbackRequest,
): Pick<PostbackPreview, 'method' | 'url' | 'headers' | 'body'> {
  return {
    method: isPost(method) ? 'POST' : 'GET',
    url,
    headers: [
      ...(isPost(method) ? [{ name: 'Content-Type', value: bodyTypes[method] }] : []),
      ...postbackHeaders.map((h) => ({ name: h.name, value: h.secretId === '' ? h.value : HIDDEN })),
    ],
    body,
  };
}
