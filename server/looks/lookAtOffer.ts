/** The link of an offer opened as a visitor would: filled with samples, followed to its last page, through a proxy or not. */
import type { Dispatcher } from 'undici';
import { wholeBody, type LookAnswer, type NetworkInput, type OfferInput } from '@tracheon/core/contract';
import { filledLink, outgoingLink, pageText } from '@tracheon/core/links';
import { unknownVisit, type TokenVisit } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import { ulidAt } from '../db/pooledUlid.ts';
import { agents, type Visitor } from '../setup/tester.ts';
import type { Walk } from '../setup/walk.ts';

export interface Looking {
  walk: Walk;
  ownOrigins: readonly string[];
  nowMs: number;
}
export interface Looked {
  offer: { id: string; body: OfferInput };
  network: NetworkInput;
}
export type Seen = Omit<LookAnswer, 'isThroughProxy'>;

const SAMPLE_SUBS = { site: 'testsite.example', zone: '1', ad: 'test-ad', title: 'A test', keyword: 'test' };

/** Throws Problem where the desk has no such offer. */
export async function loadLooked(pool: Reads, deskId: string, id: string): Promise<Looked> {
  const { rows } = await pool.query<{ body: OfferInput; network: NetworkInput }>(
    `SELECT o.body, n.body AS network FROM parts o JOIN parts n ON n.desk_id = o.desk_id AND n.id = o.body->>'networkId' AND n.kind = 'network'
     WHERE o.desk_id = $1 AND o.id = $2 AND o.kind = 'offer'`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return {
    offer: { id, body: wholeBody('offer', rows[0].body) },
    network: wholeBody('network', rows[0].network),
  };
}

export async function lookAtOffer(
  { walk, ownOrigins, nowMs }: Looking,
  { offer, network }: Looked,
  as: { country: string; device: Visitor['device'] },
  through?: Dispatcher,
): Promise<Seen> {
  const clickId = ulidAt(nowMs);
  const userAgent = agents[as.device];
  const url = linkFor(offer, network, clickId, as.country, userAgent);
  if (url === null)
    return { ...nothing(clickId), sentence: 'The offer’s link can’t be used. Correct it first.' };
  const { hops, isFound, sentence, html } = await walk(url, { 'user-agent': userAgent }, ownOrigins, through);
  return { clickId, hops, isFound, sentence, ...pageText(html) };
}

const nothing = (clickId: string) => ({
  clickId,
  hops: [],
  isFound: false,
  title: '',
  text: '',
  status: null,
});

function linkFor(
  offer: Looked['offer'],
  network: Looked['network'],
  clickId: string,
  country: string,
  userAgent: string,
): string | null {
  const { body } = offer;
  const visit: TokenVisit = {
    ...unknownVisit,
    id: clickId,
    offerId: offer.id,
    country,
    subs: SAMPLE_SUBS,
    userAgent,
  };
  const names = {
    id: '',
    name: 'Test',
    source: { id: '', name: 'Test' },
    network: { name: network.name },
    offer: { id: offer.id, name: body.name },
    landing: null,
    branchName: () => '',
  };
  return filledLink(outgoingLink(body.link, network), names, visit).url;
}
