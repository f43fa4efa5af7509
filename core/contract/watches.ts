/** Watches: rules that look at figures every so often, say what they found, and act. */
import { z } from 'zod';
import { figureDefinitions, type FigureName } from '../metrics/registry.ts';
import { recipients } from './notices.ts';
import { recordId, recordName } from './primitives.ts';
import { bodyProblem } from './requestBody.ts';
import { MAX_WEIGHT } from './routing.ts';
import { httpUrl, orEmpty } from './texts.ts';

export const MAX_WATCHES = 1000;
export const MAX_WATCH_CONDITIONS = 8;
export const MAX_WINDOW_HOURS = 30 * 24;

/** Records whose figures a watch looks at, by the name of their column; or `sub_<name>`: the values of a named sub-ID. */
export const watchRecords = [
  'campaign_id',
  'source_id',
  'offer_id',
  'landing_id',
  'branch_id',
  'pairing_id',
  'brought_by',
] as const;
/** Before the name of a sub-ID. */
export const SUB_SUBJECT = 'sub_';
const subject = z
  .string()
  .max(100)
  .refine(
    (name) => (watchRecords as readonly string[]).includes(name) || /^sub_./.test(name),
    'Choose what to watch.',
  );

/** The chance of profit, from 0 to 1: a figure of the verdict. */
export const CHANCE = 'chance';
const eventFigure = /^event_[0-9A-Z]{26}_(count|revenue|rate|cost)$/;
/** A figure of the desk by a formula. */
const ownFigureOf = /^own_[0-9A-Z]{26}$/;
const watchFigure = z
  .string()
  .refine(
    (name) =>
      name === CHANCE ||
      Object.hasOwn(figureDefinitions, name) ||
      eventFigure.test(name) ||
      ownFigureOf.test(name),
    'There is no figure of this name.',
  );
export const watchComparisons = ['<', '<=', '=', '>=', '>'] as const;
/**
 * `own`: amounts in the desk's currency, shares as 0.02 for 2 %. `payouts`: of an amount. `share`: of the total, 0.1 is 10 %.
 * `usual`: of its mean over the same hours of the 7 days before, 0.5 is half of it.
 */
export type WatchComparison = (typeof watchComparisons)[number];
export const watchUnits = ['own', 'payouts', 'share', 'usual'] as const;
/** Days before with whose same hours a figure is compared. */
export const USUAL_DAYS = 7;

const isMoney = (name: string): boolean =>
  Object.hasOwn(figureDefinitions, name) && figureDefinitions[name as FigureName].unit === 'money';
const addsUp = (name: string): boolean =>
  Object.hasOwn(figureDefinitions, name) &&
  ['money', 'count'].includes(figureDefinitions[name as FigureName].unit);

export const watchCondition = z
  .object({
    figure: watchFigure,
    is: z.enum(watchComparisons),
    than: z.number({ error: 'Enter a number.' }).min(-1e12).max(1e12),
    unit: z.enum(watchUnits).default('own'),
  })
  .superRefine(({ figure, unit }, ctx) => {
    if (unit === 'payouts' && !isMoney(figure))
      ctx.addIssue({
        code: 'custom',
        path: ['unit'],
        message: 'Only an amount can be compared with payouts.',
      });
    if (unit === 'share' && !addsUp(figure))
      ctx.addIssue({ code: 'custom', path: ['unit'], message: 'This figure has no share of the total.' });
    if (unit === 'usual' && figure === CHANCE)
      ctx.addIssue({ code: 'custom', path: ['unit'], message: 'A chance can’t be compared with its past.' });
  });
export type WatchCondition = z.output<typeof watchCondition>;

const match = z.enum(['all', 'any']);
const listOf = <T extends z.ZodType>(one: T) =>
  z
    .array(one)
    .min(1, 'Add a condition.')
    .max(MAX_WATCH_CONDITIONS, `At most ${MAX_WATCH_CONDITIONS} conditions.`);
/** Conditions within a condition, once. */
const watchGroup = z.object({ match, conditions: listOf(watchCondition) });
export type WatchGroup = z.output<typeof watchGroup>;

type Condition = WatchCondition | WatchGroup;
const alike = (c: Pick<WatchCondition, 'figure' | 'unit'>): string => `${c.figure} ${c.unit}`;
/** A figure that would have to be at once above one number and below a smaller one; undefined where there is none. */
export function contradiction(all: readonly Condition[]): string | undefined {
  const plain = all.flatMap((c) => ('figure' in c ? [c] : c.match === 'all' ? c.conditions : []));
  return plain.find((a) => plain.some((b) => alike(a) === alike(b) && excludes(a, b)))?.figure;
}
function excludes(low: WatchCondition, high: WatchCondition): boolean {
  if (low.is === '=' && high.is === '=') return low.than !== high.than;
  if (!['>', '>=', '='].includes(low.is) || !['<', '<=', '='].includes(high.is)) return false;
  return low.than > high.than || (low.than === high.than && (low.is === '>' || high.is === '<'));
}

/** Members are notified of every finding, whatever else is done. */
export const watchActs = [
  'notify',
  'pause',
  'resume',
  'weight',
  'block',
  'allow',
  'hold',
  'request',
] as const;
export type WatchAct = (typeof watchActs)[number];
const PARTNER_SUBJECT = 'brought_by';
const switched = ['campaign_id', 'offer_id', 'branch_id', 'pairing_id'];
/** Whether an act can be done to what a watch looks at. */
export function actFits(act: WatchAct, subject: string): boolean {
  if (act === 'pause' || act === 'resume') return switched.includes(subject);
  if (act === 'weight') return subject === 'pairing_id';
  if (act === 'hold') return subject === PARTNER_SUBJECT;
  return act === 'block' || act === 'allow' ? subject.startsWith(SUB_SUBJECT) : true;
}
const isListAct = (act: WatchAct): boolean => act === 'block' || act === 'allow';

/** A request to the source, of tokens: see `requestTokens`. */
const watchRequest = z.object({
  method: z.enum(['get', 'form', 'json']).default('get'),
  url: orEmpty(httpUrl).default(''),
  body: z.string().max(4000, 'At most 4 000 characters.').default(''),
  /** Whether it may be sent again when nobody knows whether the first one was carried out. */
  repeats: z.boolean().default(false),
});
export type WatchRequest = z.output<typeof watchRequest>;
const hours = (most: number, words: string) =>
  z.number({ error: words }).int(words).min(0, words).max(most, words);

const actMisfits: Record<WatchAct, string> = {
  notify: '',
  pause: 'Only campaigns, offers, branches and pairings can be paused.',
  resume: 'Only campaigns, offers, branches and pairings can be resumed.',
  weight: 'Only pairings have a weight. Watch pairings.',
  block: 'Only values of a sub-ID can be blocked.',
  allow: 'Only values of a sub-ID can be allowed.',
  hold: 'Only payouts of partners can be held. Watch partners.',
  request: '',
};
function checkRequest(
  { sourceId, request }: { sourceId: string; request: WatchRequest },
  say: (path: string, message: string) => void,
): void {
  if (sourceId === '') say('sourceId', 'The request goes to a source. Choose it.');
  if (request.url === '') say('request.url', 'Enter the URL of the request.');
  const body = request.method === 'get' ? null : bodyProblem(request.method, request.body);
  if (body) say('request.body', body);
}

export const watchInput = z
  .object({
    name: recordName,
    subject,
    /** Only visits of this source and this campaign; empty: all. */
    sourceId: recordId.or(z.literal('')).default(''),
    campaignId: recordId.or(z.literal('')).default(''),
    match: match.default('all'),
    conditions: listOf(z.union([watchGroup, watchCondition])),
    /** What the figures are of: visits of so many hours before the check, without the newest ones. */
    windowHours: hours(MAX_WINDOW_HOURS, `From 1 to ${MAX_WINDOW_HOURS} hours.`).min(
      1,
      `From 1 to ${MAX_WINDOW_HOURS} hours.`,
    ),
    skipHours: hours(MAX_WINDOW_HOURS, `From 0 to ${MAX_WINDOW_HOURS} hours.`).default(0),
    everyMinutes: z
      .number({ error: 'From 5 to 1440 minutes.' })
      .int('From 5 to 1440 minutes.')
      .min(5, 'From 5 to 1440 minutes.')
      .max(1440, 'From 5 to 1440 minutes.')
      .default(60),
    act: z.enum(watchActs).default('notify'),
    /** `weight`: what the pairing's weight becomes. */
    weightTo: z
      .number({ error: 'Enter a whole number.' })
      .int('Enter a whole number.')
      .min(0, 'Enter zero or more.')
      .max(MAX_WEIGHT, `Enter at most ${MAX_WEIGHT}.`)
      .default(0),
    /** `request`: what is sent to the source, with the headers of its postbacks. */
    request: watchRequest.default({ method: 'get', url: '', body: '', repeats: false }),
    /** Members who get an e-mail of each notice. */
    mailTo: recipients,
    /** Whether its notices go to the desk's webhook. */
    webhook: z.boolean().default(false),
    /** A member decides on each finding. */
    asks: z.boolean().default(true),
    /** Visits too young to have converted don't count, and nothing is found before one payout is spent. */
    isGuarded: z.boolean().default(true),
    /** Acts at most on one local day; the costliest findings come first. */
    actsPerDay: z
      .number({ error: 'From 1 to 1000.' })
      .int('From 1 to 1000.')
      .min(1, 'From 1 to 1000.')
      .max(1000, 'From 1 to 1000.')
      .default(20),
    /** After a finding has ended, the same subject is acted on again only later than this. */
    restHours: hours(720, 'From 0 to 720 hours.').default(24),
    /** Hours of the desk's day in which nothing is done; equal: none. */
    quietFrom: hours(23, 'From 0 to 23.').default(0),
    quietTo: hours(23, 'From 0 to 23.').default(0),
    isOn: z.boolean().default(false),
  })
  .superRefine((w, ctx) => {
    const say = (path: string, message: string): void =>
      ctx.addIssue({ code: 'custom', path: path.split('.'), message });
    const figure = w.match === 'all' ? contradiction(w.conditions) : undefined;
    if (figure !== undefined)
      say('conditions', 'Two conditions contradict each other: no figure can meet both.');
    if (w.skipHours >= w.windowHours) say('skipHours', 'Leave out fewer hours than the check looks at.');
    if ((w.windowHours - w.skipHours) * 60 < w.everyMinutes)
      say(
        'everyMinutes',
        'The check looks at less time than lies between two checks. Check more often, or look at more hours.',
      );
    if (!actFits(w.act, w.subject)) say('act', actMisfits[w.act]);
    if (isListAct(w.act) && w.sourceId === '')
      say('sourceId', 'Block and allow lists belong to a source. Choose it.');
    if (w.act === 'request') checkRequest(w, say);
    const isInside = w.subject === 'branch_id' || w.subject === 'pairing_id';
    if (isInside && w.act !== 'notify' && w.campaignId === '')
      say('campaignId', 'Branches and pairings belong to a campaign. Choose it.');
  });
export type WatchInput = z.output<typeof watchInput>;
