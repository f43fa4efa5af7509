/** A feed as a member describes it: where the report is, how to sign in, how to read it, and what its rows mean. */
import { z } from 'zod';
import { isDay } from '../time/index.ts';
import { currencyCode, recordId, recordName, subName } from './primitives.ts';
import { httpUrl, optionalZone, orEmpty } from './texts.ts';

/** What its rows tell: what visits earned, or what a source bills for them. */
export const feedGives = ['revenue', 'cost'] as const;
export const feedFormats = ['json', 'csv'] as const;
/** How a provider knows who asks. `token`: user and secret are exchanged for one that is sent with each request. */
export const feedSignIns = ['none', 'header', 'parameter', 'basic', 'token'] as const;
/** `prepared`: the report is ordered first, and fetched once the provider says that it is ready. */
export const feedReports = ['at_once', 'prepared'] as const;
export const feedMethods = ['get', 'post'] as const;
/** `page`: pages are numbered. `next`: each page names the address of the next one. */
export const feedPagings = ['none', 'page', 'next'] as const;
/** How one knows that a day's rows are final: never, by what a field of the answer says, or by the day's age. */
export const feedFinals = ['never', 'field', 'age'] as const;
/** What the provider's estimates mean for the books. */
export const feedEstimates = ['pending', 'approved'] as const;

export const MAX_FEED_COUNTERS = 20;
export const MAX_FEED_SUBS = 4;

export const DAY_MARK = '{day}';
export const REPORT_MARK = '{report}';
/** In a trial: a field that the member chooses once its rows are shown. */
export const NOT_CHOSEN = '?';

/** A place in an answer: names with dots between them; of CSV, a column. */
const place = z.string().trim().max(200).default('');
export const feedDay = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');

/** A row's amount for one event type. */
const feedCounter = z.object({
  amountAt: z.string().trim().min(1, 'Choose the field with the amount.').max(200),
  eventTypeId: recordId.or(z.literal('')).refine((id) => id !== '', 'Choose an event type.'),
});
/** A field whose values are those of a named sub-ID. */
const feedSub = z.object({
  name: subName,
  at: z.string().trim().min(1, 'Choose the field.').max(200),
});

/** What the provider's interface is like: the same for everybody who has an account there. */
export const feedInterface = {
  gives: z.enum(feedGives).default('revenue'),
  /** With `{day}` where the day goes, as YYYY-MM-DD. */
  url: httpUrl.refine((url) => url.includes(DAY_MARK), `Put ${DAY_MARK} where the day goes.`),
  signIn: z.enum(feedSignIns).default('none'),
  /** Header or parameter that carries the key or the token. */
  signInName: z.string().trim().max(64).default(''),
  /** Before it, such as `Bearer `. */
  signInPrefix: z.string().max(32).default(''),
  /** Where user and secret are exchanged, and where the token is in the answer. */
  tokenUrl: orEmpty(httpUrl).default(''),
  tokenAt: place,
  format: z.enum(feedFormats).default('json'),
  report: z.enum(feedReports).default('at_once'),
  /** `prepared`: how it is ordered. */
  reportMethod: z.enum(feedMethods).default('get'),
  /** Where the answer to the order has the report's ID, which `{report}` stands for from then on. */
  reportAt: place,
  statusUrl: orEmpty(httpUrl).default(''),
  /** The field of the status that says whether it is ready, and what it says then. */
  readyAt: place,
  readyWord: z.string().trim().max(100).default(''),
  fileUrl: orEmpty(httpUrl).default(''),
  /** Of JSON: where the list of rows is; empty: the answer is the list. */
  rowsAt: place,
  paging: z.enum(feedPagings).default('none'),
  pageParameter: z.string().trim().max(64).default(''),
  firstPage: z.number().int().min(0).max(1).default(1),
  nextAt: place,
  /** The provider's own count of rows and sum of money, where it states them. */
  countAt: place,
  sumAt: place,
  /** Revenue: the field that brings our click ID back. */
  slotAt: place,
  /** Cost: the amount, the campaign by its name, key or ID, and fields that are named sub-IDs. */
  amountAt: place,
  campaignAt: place,
  subs: z.array(feedSub).max(MAX_FEED_SUBS, `At most ${MAX_FEED_SUBS} sub-IDs.`).default([]),
  currency: currencyCode.default('USD'),
  /** Where a row states its own currency; empty: all rows have the feed's. */
  currencyAt: place,
  decimalMark: z.enum(['', '.', ',']).default('.'),
  /** Of the provider's days; empty: UTC. */
  zone: optionalZone,
  finals: z.enum(feedFinals).default('never'),
  /** `field`: where it is, of the answer or of each row, and what it says then. */
  finalAt: place,
  finalWord: z.string().trim().max(100).default(''),
  /** `age`: days after the day ended. */
  finalAfterDays: z.number().int().min(0).max(60).default(1),
  estimates: z.enum(feedEstimates).default('pending'),
  everyMinutes: z.number().int().min(5, 'At least 5 minutes.').max(1440, 'At most a day.').default(60),
};
type Interface = z.output<z.ZodObject<typeof feedInterface>>;

export const feedInput = z
  .object({
    ...feedInterface,
    name: recordName,
    /** Revenue: who pays it. */
    networkId: recordId.or(z.literal('')).default(''),
    /** Cost: who bills it, and for which of its accounts; empty: all. */
    sourceId: recordId.or(z.literal('')).default(''),
    accountId: z.string().max(80).default(''),
    user: z.string().trim().max(200).default(''),
    counters: z
      .array(feedCounter)
      .max(MAX_FEED_COUNTERS, `At most ${MAX_FEED_COUNTERS} amounts.`)
      .default([]),
    /** Days before it are never fetched by the schedule. */
    fromDay: feedDay,
    isOn: z.boolean().default(false),
  })
  .superRefine((feed, ctx) => {
    const need: Need = (path, isThere, message) => {
      if (!isThere) ctx.addIssue({ code: 'custom', path: [path], message });
    };
    needsOfInterface(feed, need);
    if (feed.signIn === 'basic' || feed.signIn === 'token')
      need('user', feed.user !== '', 'Enter the user name.');
    if (feed.gives === 'revenue') {
      need('networkId', feed.networkId !== '', 'Choose a network.');
      need('counters', feed.counters.length > 0, 'Choose at least one amount.');
      repeated(feed.counters.map((c) => c.eventTypeId)).forEach((i) =>
        ctx.addIssue({
          code: 'custom',
          path: ['counters', i, 'eventTypeId'],
          message: 'Another amount has this event type.',
        }),
      );
    } else need('sourceId', feed.sourceId !== '', 'Choose a source.');
    repeated(feed.subs.map((s) => s.name)).forEach((i) =>
      ctx.addIssue({
        code: 'custom',
        path: ['subs', i, 'name'],
        message: 'Another field has this sub-ID.',
      }),
    );
  });
export type FeedInput = z.output<typeof feedInput>;

type Need = (path: string, isThere: boolean, message: string) => void;
function needsOfInterface(f: Interface, need: Need): void {
  if (['header', 'parameter', 'token'].includes(f.signIn))
    need('signInName', f.signInName !== '', 'Enter the name of the header or parameter.');
  if (f.signIn === 'token') {
    need('tokenUrl', f.tokenUrl !== '', 'Enter the address that gives the token.');
    need('tokenAt', f.tokenAt !== '', 'Enter the field with the token.');
  }
  if (f.report === 'prepared') {
    const hasMark = (url: string): boolean => url.includes(REPORT_MARK);
    need('reportAt', f.reportAt !== '', 'Enter the field with the report’s ID.');
    need('statusUrl', hasMark(f.statusUrl), `Enter the address, with ${REPORT_MARK} where the ID goes.`);
    need('readyAt', f.readyAt !== '', 'Enter the field that says whether the report is ready.');
    need('readyWord', f.readyWord !== '', 'Enter what it says when the report is ready.');
    need('fileUrl', hasMark(f.fileUrl), `Enter the address, with ${REPORT_MARK} where the ID goes.`);
  }
  if (f.paging === 'page') need('pageParameter', f.pageParameter !== '', 'Enter the parameter of the page.');
  if (f.paging === 'next') need('nextAt', f.nextAt !== '', 'Enter the field with the next address.');
  if (f.finals === 'field') {
    need('finalAt', f.finalAt !== '', 'Enter the field that says whether rows are final.');
    need('finalWord', f.finalWord !== '', 'Enter what it says when they are.');
  }
  if (f.gives === 'revenue') need('slotAt', f.slotAt !== '', 'Choose the field with the click ID.');
  else need('amountAt', f.amountAt !== '', 'Choose the field with the amount.');
}

/** Where each value stands that stood before already. */
const repeated = (values: readonly string[]): number[] =>
  values.flatMap((value, i) => (value !== '' && values.indexOf(value) !== i ? [i] : []));

/** Every address that the key is sent to. */
export const feedAddresses = ({
  url,
  tokenUrl,
  report,
  statusUrl,
  fileUrl,
}: Pick<FeedInput, 'url' | 'tokenUrl' | 'report' | 'statusUrl' | 'fileUrl'>): string[] =>
  [url, tokenUrl, ...(report === 'prepared' ? [statusUrl, fileUrl] : [])].filter((each) => each !== '');

export const FEED_TEMPLATE = 'tracheon feed template';
/** A description without anything of the desk that made it: no key, no network, event types by their words. */
export const feedTemplate = z
  .object({
    kind: z.literal(FEED_TEMPLATE),
    version: z.literal(1),
    name: recordName,
    ...feedInterface,
    counters: z
      .array(
        feedCounter.omit({ eventTypeId: true }).extend({
          /** Word of the event type, such as `search`. */
          event: z.string().trim().max(120).default(''),
        }),
      )
      .max(MAX_FEED_COUNTERS)
      .default([]),
  })
  .superRefine((feed, ctx) =>
    needsOfInterface(feed, (path, isThere, message) => {
      if (!isThere) ctx.addIssue({ code: 'custom', path: [path], message });
    }),
  );
export type FeedTemplate = z.output<typeof feedTemplate>;
