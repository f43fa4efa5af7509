/**
 * The configuration that visits are answered from: compiled once, frozen, replaced as a whole. A campaign that does
 * not compile keeps its last good version and is listed in `broken`.
 */
import type { CampaignInput, NetworkInput, OfferInput, SourceInput } from '@tracheon/core/contract';
import { withClickId } from '@tracheon/core/links';
import { compileTemplate, type CompiledTemplate } from '@tracheon/core/tokens';

export interface RawPart<B> {
  id: string;
  deskId: string;
  name: string;
  key: string;
  state: 'live' | 'stopped' | 'archived';
  version: number;
  body: B;
}
export interface RawConfiguration {
  version: number;
  desks: { id: string; zone: string; currency: string }[];
  networks: RawPart<NetworkInput>[];
  sources: RawPart<SourceInput>[];
  offers: RawPart<OfferInput>[];
  campaigns: RawPart<CampaignInput>[];
}

export interface CompiledCampaign {
  id: string;
  key: string;
  deskId: string;
  version: number;
  name: string;
  sending: boolean;
  source: RawPart<SourceInput>;
  offer: RawPart<OfferInput>;
  network: RawPart<NetworkInput>;
  costModel: CampaignInput['costModel'];
  costMicros: bigint | null;
  costCurrency: string;
  destination: CompiledTemplate;
  /** Scheme, host and port, as they stand in the template: what the destination must still begin with after expansion. */
  destinationStart: string;
}
export interface IntakeEndpoint {
  deskId: string;
  network: RawPart<NetworkInput>;
}
export interface Snapshot {
  version: number;
  campaigns: ReadonlyMap<string, CompiledCampaign>;
  intakes: ReadonlyMap<string, IntakeEndpoint>;
  broken: readonly { campaignId: string; deskId: string; why: string }[];
}

export const emptySnapshot: Snapshot = { version: 0, campaigns: new Map(), intakes: new Map(), broken: [] };

export function compileSnapshot(raw: RawConfiguration, last: Snapshot): Snapshot {
  const index = <B>(parts: RawPart<B>[]): Map<string, RawPart<B>> => new Map(parts.map((p) => [p.id, p]));
  const [sources, offers, networks] = [index(raw.sources), index(raw.offers), index(raw.networks)];
  const campaigns = new Map<string, CompiledCampaign>();
  const broken: { campaignId: string; deskId: string; why: string }[] = [];
  for (const part of raw.campaigns) {
    try {
      campaigns.set(part.key, compileCampaign(part, sources, offers, networks));
    } catch (error) {
      broken.push({ campaignId: part.id, deskId: part.deskId, why: (error as Error).message });
      const good = last.campaigns.get(part.key);
      if (good) campaigns.set(part.key, good);
    }
  }
  const intakes = new Map(raw.networks.map((n) => [n.key, { deskId: n.deskId, network: n }]));
  return Object.freeze({ version: raw.version, campaigns, intakes, broken });
}

function compileCampaign(
  part: RawPart<CampaignInput>,
  sources: Map<string, RawPart<SourceInput>>,
  offers: Map<string, RawPart<OfferInput>>,
  networks: Map<string, RawPart<NetworkInput>>,
): CompiledCampaign {
  const { body } = part;
  const source = sources.get(body.sourceId);
  const offer = offers.get(body.offerId);
  const network = offer && networks.get(offer.body.networkId);
  if (!source || !offer || !network) throw new Error('A part that this campaign is made of is missing.');
  const link = withClickId(offer.body.link, network.body.clickIdParameter);
  // Letters of host names and addresses only: nothing that a browser would read as another host.
  const start = /^https?:\/\/[a-z0-9.:[\]_-]+(?=[/?#]|$)/i.exec(link)?.[0];
  if (start === undefined || !URL.canParse(start))
    throw new Error('The offer link does not begin with a literal host.');
  return Object.freeze({
    id: part.id,
    key: part.key,
    deskId: part.deskId,
    version: part.version,
    name: part.name,
    sending: part.state === 'live',
    source,
    offer,
    network,
    costModel: body.costModel,
    costMicros: body.costMicros === '' ? null : BigInt(body.costMicros),
    costCurrency: body.costModel === 'link' ? source.body.costCurrency : body.costCurrency,
    destination: compileTemplate(link),
    destinationStart: start,
  });
}
