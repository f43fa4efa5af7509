/** A watch as one sentence, as its editor, the list and notices say it. */
import {
  CHANCE,
  type SeenFigure,
  type WatchAct,
  type WatchComparison,
  type WatchCondition,
  type WatchGroup,
  type WatchInput,
} from '../contract/index.ts';
import {
  figureDefinitions,
  figureUnit,
  readEventFigure,
  readOwnFigure,
  type FigureName,
} from '../metrics/index.ts';

export interface WatchNames {
  /** Of a source, a campaign, an event type or a member; empty where it is gone. */
  nameOf: (id: string) => string;
  currency: string;
}

const records: Record<string, string> = {
  campaign_id: 'campaign',
  source_id: 'source',
  offer_id: 'offer',
  landing_id: 'landing page',
  branch_id: 'branch',
  pairing_id: 'pairing',
  brought_by: 'partner',
};
export const subjectWord = (subject: string): string => records[subject] ?? subject.replace(/^sub_/, '');

export const comparisonWords: Record<WatchComparison, string> = {
  '<': 'under',
  '<=': 'at most',
  '=': 'exactly',
  '>=': 'at least',
  '>': 'over',
};
export const actWords: Record<WatchAct, string> = {
  notify: 'notify the members',
  pause: 'pause it',
  resume: 'resume it',
  weight: 'change its weight',
  block: 'put it on the block list',
  allow: 'put it on the allow list',
  hold: 'hold its payouts for review',
  request: 'send a request to the source',
};
/** What is done, with its number. */
export const actSays = ({ act, weightTo }: Pick<WatchInput, 'act' | 'weightTo'>): string =>
  act === 'weight' ? `set its weight to ${weightTo}` : actWords[act];

const eventWords = {
  count: '',
  revenue: ' revenue',
  rate: ' rate',
  cost: ' cost',
  margin: ' margin',
} as const;
export function watchFigureWord(figure: string, nameOf: (id: string) => string): string {
  if (figure === CHANCE) return 'chance of profit';
  const event = readEventFigure(figure);
  if (event) return `${nameOf(event.eventTypeId) || 'a deleted event type'}${eventWords[event.kind]}`;
  const own = readOwnFigure(figure);
  if (own !== null) return nameOf(own) || 'a deleted figure';
  const { label } = figureDefinitions[figure as FigureName];
  return /^[A-Z]{2}/.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);
}

type Kind = 'money' | 'percent' | 'number';
/** How its numbers are written and typed. */
export function watchFigureKind(figure: string): Kind {
  if (figure === CHANCE) return 'percent';
  const event = readEventFigure(figure);
  if (event) return event.kind === 'rate' ? 'percent' : event.kind === 'count' ? 'number' : 'money';
  if (readOwnFigure(figure) !== null) return 'number';
  const unit = figureUnit(figure as FigureName);
  return unit === 'money' ? 'money' : unit === 'ratio' ? 'percent' : 'number';
}
const plain = (n: number): string => String(Number(n.toFixed(6)));
const percent = (n: number): string => `${plain(n * 100)} %`;

function numberWords({ figure, than, unit }: WatchCondition, currency: string): string {
  if (unit === 'payouts') return than === 1 ? '1 payout' : `${plain(than)} payouts`;
  if (unit === 'share') return `${percent(than)} of the total`;
  if (unit === 'usual') return `${percent(than)} of what it usually is at these hours`;
  const kind = watchFigureKind(figure);
  if (kind === 'percent') return percent(than);
  return kind === 'money' ? `${plain(than)} ${currency}` : plain(than);
}

export const conditionWords = (c: WatchCondition, { nameOf, currency }: WatchNames): string =>
  isOrAre(watchFigureWord(c.figure, nameOf), `${comparisonWords[c.is]} ${numberWords(c, currency)}`);
const isOrAre = (word: string, what: string): string =>
  `${word} ${/[a-z]s$/.test(word) ? 'are' : 'is'} ${what}`;

function joined(
  match: 'all' | 'any',
  conditions: readonly (WatchCondition | WatchGroup)[],
  names: WatchNames,
): string {
  const word = match === 'all' ? ' and ' : ' or ';
  return conditions
    .map((c) =>
      'figure' in c
        ? conditionWords(c, names)
        : c.conditions.length === 1
          ? conditionWords(c.conditions[0]!, names)
          : `(${joined(c.match, c.conditions, names)})`,
    )
    .join(word);
}

export const hoursWords = (n: number): string =>
  n === 1 ? '1 hour' : n % 24 === 0 && n >= 48 ? `${n / 24} days` : `${n} hours`;
export const minutesWords = (n: number): string =>
  n === 60 ? 'every hour' : n % 60 === 0 ? `every ${n / 60} hours` : `every ${n} minutes`;

function scope(id: string, all: string, word: string, kind: string, { nameOf }: WatchNames): string {
  const words = id === '' ? all : `${word} ${nameOf(id) || `a deleted ${kind}`}`;
  return words && ` ${words}`;
}

export function watchSentence(w: WatchInput, names: WatchNames): string {
  const { nameOf } = names;
  const source = scope(w.sourceId, w.subject === 'source_id' ? '' : 'of all sources', 'of', 'source', names);
  const campaign = scope(
    w.campaignId,
    w.subject === 'campaign_id' ? '' : 'in all campaigns',
    'in',
    'campaign',
    names,
  );
  const newest = w.skipHours === 0 ? '' : ` without the newest ${hoursWords(w.skipHours)}`;
  const act =
    w.act === 'notify'
      ? actWords.notify
      : w.asks
        ? `ask the members whether to ${actSays(w)}`
        : `${actSays(w)} and ${actWords.notify}`;
  const ways = [
    ...(w.mailTo.length > 0 ? [w.mailTo.map((id) => nameOf(id) || 'a removed member').join(', ')] : []),
    ...(w.webhook ? ['the webhook'] : []),
  ];
  const told =
    ways.length === 0
      ? ''
      : w.mailTo.length === 0
        ? ', also by the webhook'
        : `, also by e-mail to ${ways.join(' and by ')}`;
  return `For every ${subjectWord(w.subject)}${source}${campaign}, when ${joined(w.match, w.conditions, names)} over the last ${hoursWords(w.windowHours)}${newest}, checked ${minutesWords(w.everyMinutes)}, then ${act}${told}.`;
}

export function seenWords({ figure, value, usual }: SeenFigure, { nameOf, currency }: WatchNames): string {
  const word = watchFigureWord(figure, nameOf);
  if (value === null) return `${word} not known`;
  const kind = watchFigureKind(figure);
  const shown = (n: number): string =>
    kind === 'percent'
      ? `${plain(Math.round(n * 10_000) / 100)} %`
      : kind === 'money'
        ? `${n.toFixed(2)} ${currency}`
        : plain(Math.round(n * 100) / 100);
  const before = usual === undefined ? '' : ` (usually ${usual === null ? 'not known' : shown(usual)})`;
  return `${word} ${shown(value)}${before}`;
}
