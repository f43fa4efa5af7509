/** Parts: what campaigns are made of. The same schemas check the form while typing and the API on arrival. */
import { z } from 'zod';
import { campaignInput, type CampaignInput } from './campaigns.ts';
import { landingPageInput, type LandingPageInput } from './landingPages.ts';
import { networkInput, type NetworkInput } from './networks.ts';
import { eventTypeInput, offerInput, type EventTypeInput, type OfferInput } from './offers.ts';
import { isoTime, recordId } from './primitives.ts';
import { sourceInput, type SourceInput } from './sources.ts';

export const partKinds = ['network', 'source', 'landing-page', 'offer', 'event-type', 'campaign'] as const;
export type PartKind = (typeof partKinds)[number];

export const partInputs = {
  network: networkInput,
  source: sourceInput,
  'landing-page': landingPageInput,
  offer: offerInput,
  'event-type': eventTypeInput,
  campaign: campaignInput,
} as const;

export interface PartBodies {
  network: NetworkInput;
  source: SourceInput;
  'landing-page': LandingPageInput;
  offer: OfferInput;
  'event-type': EventTypeInput;
  campaign: CampaignInput;
}

export const partStates = ['live', 'stopped', 'archived'] as const;
export const stateInput = z.object({ state: z.enum(partStates) });

/** As it is sent. The body is what its kind's schema gave when it was saved, so an older one may lack newer fields. */
export const partAnswer = z.object({
  id: recordId,
  kind: z.enum(partKinds),
  version: z.int().min(1),
  state: z.enum(partStates),
  key: z.string(),
  body: z.looseObject({ name: z.string() }),
  createdAt: isoTime,
  updatedAt: isoTime,
});

/** Any record of Parts, or a campaign, as the API sends it. */
export interface PartRecord<K extends PartKind = PartKind> {
  id: string;
  kind: K;
  version: number;
  state: 'live' | 'stopped' | 'archived';
  /** Wire key: of a campaign its tracking link's, of a network its intake's, of a landing page its buttons'; else empty. */
  key: string;
  body: PartBodies[K];
  createdAt: string;
  updatedAt: string;
}

export const saveEnvelope = z.object({
  /** The version that the editor saw; a newer one on the server refuses with `changed_meanwhile`. `If-Match` may say it instead. */
  version: z.int().min(1).optional(),
  body: z.unknown(),
});
