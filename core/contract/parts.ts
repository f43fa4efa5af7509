/** Parts: what campaigns are made of. The same schemas check the form while typing and the API on arrival. */
import { z } from 'zod';
import { campaignInput, type CampaignInput } from './campaigns.ts';
import { landingPageInput, type LandingPageInput } from './landingPages.ts';
import { networkInput, type NetworkInput } from './networks.ts';
import { eventTypeInput, offerInput, type EventTypeInput, type OfferInput } from './offers.ts';
import { partnerInput, type PartnerInput } from './partners.ts';
import { isoTime, recordId } from './primitives.ts';
import { sourceInput, type SourceInput } from './sources.ts';

export const partKinds = [
  'network',
  'source',
  'landing-page',
  'offer',
  'event-type',
  'partner',
  'campaign',
] as const;
export type PartKind = (typeof partKinds)[number];
/** What a kind is called within a sentence. */
export const partWords: Record<PartKind, string> = {
  network: 'network',
  source: 'source',
  'landing-page': 'landing page',
  offer: 'offer',
  'event-type': 'event type',
  partner: 'partner',
  campaign: 'campaign',
};

export const partInputs = {
  network: networkInput,
  source: sourceInput,
  'landing-page': landingPageInput,
  offer: offerInput,
  'event-type': eventTypeInput,
  partner: partnerInput,
  campaign: campaignInput,
} as const;

export interface PartBodies {
  network: NetworkInput;
  source: SourceInput;
  'landing-page': LandingPageInput;
  offer: OfferInput;
  'event-type': EventTypeInput;
  partner: PartnerInput;
  campaign: CampaignInput;
}

/**
 * What each field is when nothing is said of it, by kind. Computed when it is first asked for, not while modules load:
 * the web app tells Zod first that it must not compile code (its pages allow none).
 */
const defaults = new Map<PartKind, Record<string, unknown>>();

function defaultsOf(kind: PartKind): Record<string, unknown> {
  let known = defaults.get(kind);
  if (!known) {
    known = {};
    for (const [key, field] of Object.entries(partInputs[kind].shape as Record<string, z.ZodType>)) {
      const parsed = field.safeParse(undefined);
      if (parsed.success) known[key] = parsed.data;
    }
    defaults.set(kind, known);
  }
  // Lists in it must not be shared between the records that begin with them.
  return structuredClone(known);
}

const newParameter = { meaning: '', report: true, personal: false, leftOff: [] };

/** A stored body with the fields that came after it was saved. */
export function wholeBody<K extends PartKind>(kind: K, body: unknown): PartBodies[K] {
  const whole = { ...defaultsOf(kind), ...(body as object) } as PartBodies[K];
  if (kind !== 'source') return whole;
  const { parameters = [] } = whole as Partial<SourceInput>;
  return { ...whole, parameters: parameters.map((p) => ({ ...newParameter, ...p })) };
}

export const partStates = ['live', 'paused', 'archived'] as const;
export const stateInput = z.object({ state: z.enum(partStates) });

/** Typed as what its kind's schema gave: whoever reads it completes an older one by `wholeBody`. */
const storedBody = z.looseObject({ name: z.string() }) as unknown as z.ZodType<PartBodies[PartKind]>;

/** As it is sent. The body is what its kind's schema gave when it was saved, so an older one may lack newer fields. */
export const partAnswer = z.object({
  id: recordId,
  kind: z.enum(partKinds),
  version: z.int().min(1),
  state: z.enum(partStates),
  key: z.string(),
  body: storedBody,
  createdAt: isoTime,
  updatedAt: isoTime,
});

/** Any record of Parts, or a campaign, as the API sends it. */
export interface PartRecord<K extends PartKind = PartKind> {
  id: string;
  kind: K;
  version: number;
  state: 'live' | 'paused' | 'archived';
  /** Wire key: of a campaign its tracking link's, of a network its intake's, of a landing page its buttons'; else empty. */
  key: string;
  body: PartBodies[K];
  createdAt: string;
  updatedAt: string;
}

/** Days for which calls with the old key are still taken. */
export const keyInput = z.object({ overlapDays: z.int().min(0).max(365).default(30) });

/** One version of a record. */
export const partVersion = z.object({
  version: z.int(),
  state: z.enum(partStates),
  body: z.looseObject({ name: z.string() }),
  changedAt: isoTime,
  /** Empty for the program itself. */
  changedBy: z.string(),
});
export type PartVersion = z.infer<typeof partVersion>;
/** One of the latest changes of the desk's records: the version, and the one before it. */
export const recentChange = z.object({
  id: recordId,
  kind: z.enum(partKinds),
  version: z.int(),
  state: z.enum(partStates),
  body: z.looseObject({ name: z.string() }),
  /** Null for a record that was created. */
  before: z.object({ state: z.enum(partStates), body: z.looseObject({ name: z.string() }) }).nullable(),
  changedAt: isoTime,
  /** Empty for the program itself. */
  changedBy: z.string(),
});
export type RecentChange = z.infer<typeof recentChange>;
export const restoreInput = z.object({
  /** The version that is brought back. */
  to: z.int().min(1),
  /** The version that was seen as the newest; a newer one refuses. */
  version: z.int().min(1),
});

export const saveEnvelope = z.object({
  /** The version that the editor saw; a newer one on the server refuses with `changed_meanwhile`. `If-Match` may say it instead. */
  version: z.int().min(1).optional(),
  body: z.unknown(),
});
