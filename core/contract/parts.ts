/** Parts: what campaigns are made of. The same schemas check the form while typing and the API on arrival. */
import { z } from 'zod';
import {
  conversionStatus,
  countryCode,
  currencyCode,
  isoTime,
  macroShape,
  MAX_URL_LENGTH,
  microsText,
  parameterName,
  recordId,
  recordName,
  subName,
} from './primitives.ts';

const url = z.string().trim().max(MAX_URL_LENGTH, `At most ${MAX_URL_LENGTH} characters.`);
/** A template whose literals are ASCII: the host as browsers send it, the rest percent-encoded. */
function asciiUrl(text: string): string {
  const origin = /^https?:\/\/[^/?#]*/i.exec(text)?.[0] ?? '';
  let head = origin;

  if (/[^\x00-\x7f]/.test(origin)) {
    try {
      head = new URL(origin).origin;
    } catch {
      // No host can be read out of it; the check of the link says so.
    }
  }
  return (
    head +
    text.slice(origin.length).replace(/[^\x00-\x7f]+/g, (run) => encodeURIComponent(run.toWellFormed()))
  );
}
const httpUrl = url
  .regex(/^https?:\/\/[^\s/?#{}@]+/i, 'Begin with https:// (or http://) and a host.')
  .transform(asciiUrl);
/** Empty, or what the schema takes, with the schema's own messages, which a union would hide. */
const orEmpty = (schema: z.ZodType<string, string>): z.ZodType<string, string> =>
  z.string().transform((text, ctx) => {
    if (text.trim() === '') return '';
    const parsed = schema.safeParse(text);
    if (parsed.success) return parsed.data;
    for (const { message } of parsed.error.issues) ctx.addIssue({ code: 'custom', message });
    return z.NEVER;
  });
const macroText = z
  .string()
  .trim()
  .max(120, 'At most 120 characters.')
  .refine((s) => !/[\s&#?]/.test(s.replace(/^#+|#+$/g, '')), 'A macro has no spaces, & or ? in it.');
const word = z.string().trim().min(1, 'Which word?').max(120, 'At most 120 characters.');
const notes = z.string().max(4000, 'At most 4 000 characters.').default('');

/** What an incoming call may tell, by our name; a network maps each to its own parameter and macro. */
export const callFields = [
  'click_id',
  'payout',
  'currency',
  'transaction',
  'event',
  'status',
  'conversion_time',
  'changed_time',
] as const;
export type CallField = (typeof callFields)[number];

const fieldMapping = z.object({
  /** Their placeholder, put into the postback URL that is handed over; empty: they do not tell it. */
  macro: macroText.default(''),
  /** The parameter under which it reaches us; empty: our own name. */
  parameter: orEmpty(parameterName).default(''),
});
export type FieldMapping = z.infer<typeof fieldMapping>;

export const statusMeanings = [...conversionStatus.options, 'ignore'] as const;

export const networkInput = z
  .object({
    name: recordName,
    /** The network's own sub-ID parameter that carries our click ID in its offer links. */
    clickIdParameter: parameterName,
    macroShape: macroShape.default('{x}'),
    fields: z.object(
      Object.fromEntries(
        callFields.map((f) => [f, fieldMapping.default({ macro: '', parameter: '' })]),
      ) as Record<CallField, z.ZodDefault<typeof fieldMapping>>,
    ),
    statusWords: z
      .array(z.object({ word, means: z.enum(statusMeanings) }))
      .max(60)
      .default([]),
    eventWords: z
      .array(z.object({ word, eventTypeId: z.string() }))
      .max(60)
      .default([]),
    noStatusMeans: z.enum(['approved', 'pending']).default('approved'),
    payoutMeans: z.enum(['event', 'total', 'difference']).default('event'),
    negativeMeans: z.enum(['refund', 'error']).default('refund'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    answerStyle: z.enum(['json', 'ok', 'one', 'empty']).default('json'),
    notes,
  })
  .superRefine((n, ctx) => {
    twice(
      n.statusWords.map((w) => w.word),
      'statusWords',
      'word',
      ctx,
    );
    twice(
      n.eventWords.map((w) => w.word),
      'eventWords',
      'word',
      ctx,
    );
    const wire = callFields.map((f) => n.fields[f].parameter || f).map((s) => s.toLowerCase());
    wire.forEach((w, i) => {
      if (wire.indexOf(w) < i)
        ctx.addIssue({
          code: 'custom',
          path: ['fields', callFields[i]!, 'parameter'],
          message: `“${w}” already carries something else.`,
        });
    });
  });
export type NetworkInput = z.infer<typeof networkInput>;

export const costUnits = ['visit', 'thousand', 'cents', 'micros'] as const;

export const sourceInput = z
  .object({
    name: recordName,
    macroShape: macroShape.default('{x}'),
    /** In the order in which they stand in the tracking link. */
    parameters: z
      .array(
        z.object({
          parameter: parameterName,
          macro: macroText.default(''),
          role: z.enum(['sub', 'click_id', 'cost']),
          sub: orEmpty(subName).default(''),
        }),
      )
      .max(60, 'At most 60 parameters.')
      .default([]),
    costUnit: z.enum(costUnits).default('visit'),
    costCurrency: currencyCode.default('EUR'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    /** The source's conversion address with our tokens; empty: it wants none. */
    postbackUrl: orEmpty(httpUrl).default(''),
    tellStatuses: z.array(conversionStatus).default(['approved']),
    notes,
  })
  .superRefine((s, ctx) => {
    twice(
      s.parameters.map((p) => p.parameter),
      'parameters',
      'parameter',
      ctx,
    );
    s.parameters.forEach((p, i) => {
      if (p.role === 'sub' && p.sub === '')
        ctx.addIssue({ code: 'custom', path: ['parameters', i, 'sub'], message: 'Name the sub-ID.' });
    });
    for (const role of ['click_id', 'cost'] as const) {
      const at = s.parameters.map((p, i) => (p.role === role ? i : -1)).filter((i) => i >= 0);
      if (at.length > 1)
        ctx.addIssue({
          code: 'custom',
          path: ['parameters', at[1]!, 'role'],
          message: role === 'cost' ? 'Cost is already told above.' : 'The click ID is already told above.',
        });
    }
  });
export type SourceInput = z.infer<typeof sourceInput>;

export const offerInput = z
  .object({
    name: recordName,
    networkId: z.string().min(1, 'Choose the network.'),
    link: httpUrl,
    countries: z.array(countryCode).max(250).default([]),
    payoutMode: z.enum(['fixed', 'reported']).default('reported'),
    /** Fixed amount, or what counts when the call tells none; empty: none. */
    payoutMicros: orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Not below zero.')).default(''),
    currency: currencyCode.default('EUR'),
    /** Days after the visit within which a new conversion is accepted. */
    windowDays: z.number().int().min(1).max(365).default(90),
    notes,
  })
  .superRefine((o, ctx) => {
    if (o.payoutMode === 'fixed' && o.payoutMicros === '')
      ctx.addIssue({ code: 'custom', path: ['payoutMicros'], message: 'A fixed payout needs its amount.' });
  });
export type OfferInput = z.infer<typeof offerInput>;

export const eventTypeInput = z.object({
  name: recordName,
  word: z.string().trim().min(1, 'Which word comes over the wire?').max(64),
  repeats: z.boolean().default(false),
  countsAsConversion: z.boolean().default(true),
  countsAsRevenue: z.boolean().default(true),
});
export type EventTypeInput = z.infer<typeof eventTypeInput>;

export const campaignInput = z
  .object({
    name: recordName,
    sourceId: z.string().min(1, 'Choose the source.'),
    offerId: z.string().min(1, 'Choose the offer.'),
    costModel: z.enum(['none', 'visit', 'link']).default('none'),
    costMicros: orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Not below zero.')).default(''),
    costCurrency: currencyCode.default('EUR'),
    notes,
  })
  .superRefine((c, ctx) => {
    if (c.costModel === 'visit' && c.costMicros === '')
      ctx.addIssue({ code: 'custom', path: ['costMicros'], message: 'What does one visit cost?' });
  });
export type CampaignInput = z.infer<typeof campaignInput>;

export const partKinds = ['network', 'source', 'offer', 'event-type', 'campaign'] as const;
export type PartKind = (typeof partKinds)[number];

export const partInputs = {
  network: networkInput,
  source: sourceInput,
  offer: offerInput,
  'event-type': eventTypeInput,
  campaign: campaignInput,
} as const;

export interface PartBodies {
  network: NetworkInput;
  source: SourceInput;
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
  /** Wire key: of a campaign its tracking link's, of a network its intake's; else empty. */
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

function twice(values: string[], list: string, field: string, ctx: z.RefinementCtx): void {
  const seen = new Set<string>();
  values.forEach((value, i) => {
    const key = value.trim().toLowerCase();
    if (key !== '' && seen.has(key))
      ctx.addIssue({ code: 'custom', path: [list, i, field], message: `“${value}” stands here twice.` });
    seen.add(key);
  });
}
