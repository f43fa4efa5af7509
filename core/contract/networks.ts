/** A network: who pays. Its names for what we ask, its words, its habits. */
import { z } from 'zod';
import { email } from './accounts.ts';
import {
  conversionStatus,
  currencyCode,
  macroStyle,
  parameterName,
  recordName,
  subName,
} from './primitives.ts';
import {
  addressRange,
  billTo,
  hostName,
  httpUrl,
  macroText,
  notes,
  optionalZone,
  orEmpty,
  tags,
  tokenName,
  twice,
  word,
} from './texts.ts';

/** What an incoming call may tell, by our name; a network maps each to its own parameter and macro. */
export const postbackFields = [
  'click_id',
  'payout',
  'currency',
  'transaction',
  'event',
  'status',
  'conversion_time',
  'changed_time',
  'partner_id',
  'offer_id',
  'sale',
  'sale_currency',
] as const;
export type PostbackField = (typeof postbackFields)[number];
/** Fields that few networks send: another field may have their name, and then they are not read under it. */
const givingWay: ReadonlySet<PostbackField> = new Set<PostbackField>(['sale', 'sale_currency']);
/** Whether the network uses the name of such a field for something else. */
export function isNameTaken(network: Pick<NetworkInput, 'fields' | 'extras'>, field: PostbackField): boolean {
  if (!givingWay.has(field) || network.fields[field].parameter !== '') return false;
  const others = [
    ...postbackFields.filter((f) => f !== field).map((f) => network.fields[f].parameter),
    ...(network.extras ?? []).map((x) => x.parameter),
  ];
  return others.some((name) => name.toLowerCase() === field);
}

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
    /** A network with offers of many advertisers, or one advertiser with whom the desk works directly. */
    relation: z.enum(['network', 'direct']).default('network'),
    /** Hosts of its offer links: a pasted link is recognised by them. */
    hosts: z.array(hostName).max(40).default([]),
    /** The network's own sub-ID parameter that carries our click ID in its offer links; empty: put into each link by hand. */
    clickIdParameter: orEmpty(parameterName).default(''),
    /** Characters after which it cuts that parameter; 0: not at all. */
    clickIdLimit: z.number().int().min(0).max(4000).default(0),
    /** Further sub-ID parameters of its links, and after how many characters it cuts each. */
    subParameters: z
      .array(
        z.object({
          parameter: parameterName,
          limit: z.number().int().min(0).max(4000).default(0),
          /** Which of our tokens goes there by itself, such as source_name; empty: none. */
          token: orEmpty(tokenName).default(''),
          /** Demanded in every link; said where it is missing. */
          demanded: z.boolean().default(false),
        }),
      )
      .max(40)
      .default([]),
    macroStyle: macroStyle.default('{x}'),
    fields: z.object(
      Object.fromEntries(
        postbackFields.map((f) => [f, fieldMapping.default({ macro: '', parameter: '' })]),
      ) as Record<PostbackField, z.ZodDefault<typeof fieldMapping>>,
    ),
    /** What else a call tells, kept by a name of ours and reportable: a brand, a product. */
    extras: z
      .array(
        z.object({
          name: subName,
          macro: macroText.default(''),
          /** The parameter under which it reaches us; empty: x_ and the name. */
          parameter: orEmpty(parameterName).default(''),
        }),
      )
      .max(20)
      .default([]),
    statusWords: z
      .array(z.object({ word, means: z.enum(statusMeanings, 'Choose what this word means.') }))
      .max(60)
      .default([]),
    eventWords: z
      .array(z.object({ word, eventTypeId: z.string().min(1, 'Choose what this word means.') }))
      .max(60)
      .default([]),
    /** Their words for currencies that are no ISO 4217 codes. */
    currencyWords: z
      .array(z.object({ word, currency: currencyCode }))
      .max(60)
      .default([]),
    noStatusMeans: z.enum(['approved', 'pending']).default('approved'),
    payoutMeans: z.enum(['event', 'total', 'difference']).default('event'),
    negativeMeans: z.enum(['refund', 'error']).default('refund'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    answerStyle: z.enum(['json', 'ok', 'one', 'empty']).default('json'),
    /** Addresses that may call; others are kept, held, and answered 200. None: all may. */
    allowedAddresses: z.array(addressRange).max(100).default([]),
    /** What each postback must carry besides the key. Tracheon holds postbacks that lack it. */
    callerProof: z.enum(['none', 'secret', 'signature']).default('none'),
    /** Pixels come from visitors' browsers: neither an address nor a proof can be asked of them. */
    acceptsPixels: z.boolean().default(false),
    /** Whose days its statements have; empty: the desk's. */
    zone: optionalZone,
    /** Postbacks are passed on to this address as they come; empty: they are not. */
    relayUrl: orEmpty(httpUrl).default(''),
    /** The last day on which they are passed on, in the network's zone; empty: until a member ends it. */
    relayUntil: orEmpty(z.iso.date('Enter a day such as 2026-12-31.')).default(''),
    /** It forbids that its offers are opened without a visitor: *Look as a visitor* is off. */
    noLooks: z.boolean().default(false),
    docsUrl: orEmpty(httpUrl).default(''),
    /** Who gets the statements, and questions about them. */
    billingEmail: orEmpty(email).default(''),
    billTo,
    /** Days from a statement until it is to be paid; printed on it. */
    payWithinDays: z
      .number('Enter a number of days.')
      .int('Enter whole days.')
      .min(0)
      .max(365, 'At most 365 days.')
      .default(30),
    tags,
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
    twice(
      n.currencyWords.map((w) => w.word),
      'currencyWords',
      'word',
      ctx,
    );
    const taken = new Set<string>();
    const take = (name: string, path: (string | number)[]): void => {
      const wire = name.toLowerCase();
      if (taken.has(wire))
        ctx.addIssue({
          code: 'custom',
          path,
          message: `The parameter “${wire}” is already used above. Choose another one.`,
        });
      taken.add(wire);
    };
    for (const f of postbackFields)
      if (!isNameTaken(n, f)) take(n.fields[f].parameter || f, ['fields', f, 'parameter']);
    n.extras.forEach((x, i) => take(x.parameter || `x_${x.name}`, ['extras', i, 'parameter']));
    twice(
      n.extras.map((x) => x.name),
      'extras',
      'name',
      ctx,
    );
    twice(
      [n.clickIdParameter, ...n.subParameters.map((p) => p.parameter)],
      'subParameters',
      'parameter',
      ctx,
      -1,
    );
  });
export type NetworkInput = z.infer<typeof networkInput>;
