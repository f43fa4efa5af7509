/**
 * What the postbacks of a group have in common, the change to their network that repairs them, and the same change taken
 * back. Words are compared as readStatus and readEvent compare them.
 */
import type { NetworkFix, NetworkInput, PostbackReason } from '../contract/index.ts';
import { formatAmount } from '../money/index.ts';
import type { ReadPostback } from './signal.ts';
import { reasonSentence } from './reasons.ts';
import { sameWord, type EventTypeRule } from './readWords.ts';

/** Of these the detail tells what is to be mended; of the others it tells one postback from the next. */
const BY_DETAIL: ReadonlySet<PostbackReason> = new Set<PostbackReason>([
  'unmapped_status',
  'unmapped_event',
  'unreadable_currency',
  'click_unsubstituted',
  'not_a_value',
  'unreadable_body',
  'other_network',
  'address_not_listed',
  'unknown_offer',
]);
const MAX_KEY_LENGTH = 120;
/** `kind`: what is wrong with an amount. */
export const repairKey = (reason: PostbackReason, detail: string, kind = ''): string =>
  BY_DETAIL.has(reason) ? detail.trim().toLowerCase().slice(0, MAX_KEY_LENGTH) : kind;

const added = <W extends { word: string }>(words: readonly W[], one: W): W[] => [
  ...words.filter((w) => !sameWord(w.word, one.word)),
  one,
];

/** The network with the change. */
export function withFix(network: NetworkInput, fix: NetworkFix): NetworkInput {
  switch (fix.kind) {
    case 'none':
      return network;
    case 'status_word':
      return { ...network, statusWords: added(network.statusWords, { word: fix.word, means: fix.means }) };
    case 'event_word': {
      const one = { word: fix.word, eventTypeId: fix.eventTypeId };
      return { ...network, eventWords: added(network.eventWords, one) };
    }
    case 'currency_word': {
      const one = { word: fix.word, currency: fix.currency };
      return { ...network, currencyWords: added(network.currencyWords ?? [], one) };
    }
    case 'decimal_mark':
      return { ...network, decimalMark: fix.mark };
    case 'negative':
      return { ...network, negativeMeans: 'refund' };
    case 'parameter':
      return {
        ...network,
        fields: {
          ...network.fields,
          [fix.field]: { ...network.fields[fix.field], parameter: fix.parameter },
        },
      };
    case 'address': {
      // An empty list lets everybody call: nothing of it is held.
      const { allowedAddresses } = network;
      return allowedAddresses.length === 0 || allowedAddresses.includes(fix.range)
        ? network
        : { ...network, allowedAddresses: [...allowedAddresses, fix.range] };
    }
  }
}

/** The network as it is now, with the change taken back; what was changed otherwise since stays. */
export function withoutFix(now: NetworkInput, fix: NetworkFix, before: NetworkInput): NetworkInput {
  const restored = <W extends { word: string }>(
    words: readonly W[],
    old: readonly W[],
    word: string,
  ): W[] => [...words.filter((w) => !sameWord(w.word, word)), ...old.filter((w) => sameWord(w.word, word))];
  switch (fix.kind) {
    case 'none':
      return now;
    case 'status_word':
      return { ...now, statusWords: restored(now.statusWords, before.statusWords, fix.word) };
    case 'event_word':
      return { ...now, eventWords: restored(now.eventWords, before.eventWords, fix.word) };
    case 'currency_word':
      return {
        ...now,
        currencyWords: restored(now.currencyWords ?? [], before.currencyWords ?? [], fix.word),
      };
    case 'decimal_mark':
      return now.decimalMark === fix.mark ? { ...now, decimalMark: before.decimalMark } : now;
    case 'negative':
      return { ...now, negativeMeans: before.negativeMeans };
    case 'parameter': {
      const { field } = fix;
      return now.fields[field].parameter === fix.parameter
        ? { ...now, fields: { ...now.fields, [field]: before.fields[field] } }
        : now;
    }
    case 'address':
      return before.allowedAddresses.includes(fix.range)
        ? now
        : { ...now, allowedAddresses: now.allowedAddresses.filter((a) => a !== fix.range) };
  }
}

/** As it stands in the list of what was done. */
export function fixWords(network: string, fix: NetworkFix, eventName: (id: string) => string): string {
  switch (fix.kind) {
    case 'none':
      return `Reprocessed postbacks of ${network}`;
    case 'status_word':
      return `${network}: status “${fix.word}” means ${fix.means}`;
    case 'event_word':
      return `${network}: event “${fix.word}” means ${eventName(fix.eventTypeId)}`;
    case 'currency_word':
      return `${network}: currency “${fix.word}” means ${fix.currency}`;
    case 'decimal_mark':
      return `${network}: the decimal mark is ${fix.mark === '.' ? 'a point' : 'a comma'}`;
    case 'negative':
      return `${network}: a negative payout is a refund`;
    case 'parameter':
      return `${network}: the parameter “${fix.parameter}” carries ${fix.field.replace('_', ' ')}`;
    case 'address':
      return `${network}: postbacks from ${fix.range} are accepted`;
  }
}

/** How one and the same postback is read before and after a change. */
export function compareReadings(
  before: ReadPostback,
  after: ReadPostback,
): 'same' | 'changed' | 'mended' | 'broken' {
  const understood = (r: ReadPostback): boolean => r.ok || r.outcome !== 'repair';
  if (understood(before) !== understood(after)) return understood(after) ? 'mended' : 'broken';
  return understood(after) && said(before) !== said(after) ? 'changed' : 'same';
}
const said = (r: ReadPostback): string =>
  r.ok
    ? JSON.stringify({ ...r.reading, payout: String(r.reading.payout), notes: [] })
    : `${r.outcome}|${reasonSentence(r.reason, r.detail)}`;

/** What was understood of a postback, or why nothing was, in one line. */
export function readingWords(
  read: ReadPostback,
  types: readonly (EventTypeRule & { name: string })[],
): string {
  if (!read.ok) return reasonSentence(read.reason, read.detail);
  const { reading: r } = read;
  const time = (ms: number | null): string =>
    ms === null ? '' : `${new Date(ms).toISOString().slice(0, 16).replace('T', ' ')} UTC`;
  return [
    types.find((t) => t.id === r.eventTypeId)?.name ?? r.eventTypeId,
    r.status,
    r.payout === null ? 'no payout' : `${formatAmount(r.payout)} ${r.currency ?? ''}`.trim(),
    r.clickIdText === '' ? 'no click ID' : `click ID …${(r.clickId ?? r.clickIdText).slice(-6)}`,
    r.partner === '' ? '' : `partner ${r.partner}`,
    r.partner === '' || r.offer === '' ? '' : `offer ${r.offer}`,
    r.transaction === '' ? '' : `transaction ${r.transaction}`,
    time(r.conversionTime),
    time(r.changedTime),
    ...Object.entries(r.extras).map(([name, value]) => `${name} ${value}`),
  ]
    .filter(Boolean)
    .join(' · ');
}
