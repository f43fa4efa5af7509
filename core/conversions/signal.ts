/**
 * A signal is one call read with a network's mapping: what it says, in our words. Reading is pure; what cannot be
 * read with certainty is a reason for repair, never a guess.
 */
import type { PostbackField, PostbackReason, ConversionStatus, NetworkInput } from '../contract/index.ts';
import { isCurrency } from '../contract/index.ts';
import { parseClickId } from '../identity/index.ts';
import {
  cleanText,
  decodePercent,
  extraWireName,
  plusAsSpace,
  presence,
  wireName,
  type ParsedQuery,
  type Presence,
} from '../links/index.ts';
import { amountSentence, parseAmount, type Micros } from '../money/index.ts';
import { styleOf } from '../tokens/index.ts';

export interface EventTypeRule {
  id: string;
  word: string;
  repeats: boolean;
}

export interface PostbackReading {
  clickId: string | null;
  /** What stood where the click ID belongs, when it is no click ID of ours. */
  clickIdText: string;
  transaction: string;
  eventTypeId: string;
  status: ConversionStatus;
  payout: Micros | null;
  currency: string | null;
  conversionTime: number | null;
  changedTime: number | null;
  extras: Record<string, string>;
  notes: string[];
}
export type ReadPostback =
  | { ok: true; reading: PostbackReading }
  | {
      ok: false;
      outcome: 'repair' | 'ignored';
      reason: PostbackReason;
      detail: string;
      clickId: string | null;
      notes: string[];
    };

/** Longest transaction kept; longer ones are cut and noted. */
const MAX_TRANSACTION_BYTES = 255;
/** Aliases under which a field is looked for when its own parameter is not there. */
export const fieldAliases: Partial<Record<PostbackField, string>> = {
  payout: 'amount',
  transaction: 'txn',
  conversion_time: 'time',
};

/** Thrown where reading cannot go on: the reason, and the text that it is about. */
export class Repair extends Error {
  constructor(
    readonly reason: PostbackReason,
    readonly detail: string,
    readonly outcome: 'repair' | 'ignored' = 'repair',
  ) {
    super(reason);
  }
}

export function readPostback(
  query: ParsedQuery,
  network: NetworkInput,
  eventTypes: readonly EventTypeRule[],
): ReadPostback {
  const notes: string[] = [...query.notes];
  const field = (name: PostbackField): Presence => {
    const wire = wireName(network, name);
    const alias = fieldAliases[name];
    const value = query.values.get(wire) ?? (alias === undefined ? undefined : query.values.get(alias));
    const found = presence(value, network.fields[name].macro);
    if (found.state === 'unsubstituted') notes.push(`unsubstituted:${name}`);
    if (found.state === 'present' && value !== found.value) notes.push(`trimmed:${name}`);
    return found;
  };
  const text = (name: PostbackField): string | null => {
    const found = field(name);
    return found.state === 'present' ? found.value : null;
  };
  const clickField = field('click_id');
  const clickIdText = clickField.state === 'present' ? clickField.value : '';
  const clickId = parseClickId(clickIdText);
  try {
    const transaction = cutTransaction(text('transaction') ?? '', notes);
    const status = readStatus(text('status'), network);
    const eventTypeId = readEvent(text('event'), network, eventTypes);
    const amount = readPayout(text('payout'), network, status, notes);
    if (clickIdText === '' && transaction === '')
      throw clickField.state === 'unsubstituted'
        ? new Repair('click_unsubstituted', network.fields.click_id.macro)
        : new Repair('no_click_id', '');
    if (clickId === null && clickIdText !== '')
      throw new Repair(
        styleOf(decodePercent(clickIdText)) === null ? 'unknown_click' : 'click_unsubstituted',
        clickIdText,
      );
    return {
      ok: true,
      reading: {
        clickId,
        clickIdText,
        transaction,
        eventTypeId,
        status: amount.status,
        payout: amount.payout,
        currency: readCurrency(text('currency')),
        conversionTime: readTime(text('conversion_time'), 'conversion_time', notes),
        changedTime: readTime(text('changed_time'), 'changed_time', notes),
        extras: readExtras(query, network),
        notes,
      },
    };
  } catch (error) {
    if (!(error instanceof Repair)) throw error;
    return { ok: false, outcome: error.outcome, reason: error.reason, detail: error.detail, clickId, notes };
  }
}

function cutTransaction(value: string, notes: string[]): string {
  const bytes = new TextEncoder().encode(value);
  if (bytes.length <= MAX_TRANSACTION_BYTES) return value;
  notes.push('cut:transaction');
  return new TextDecoder().decode(bytes.subarray(0, MAX_TRANSACTION_BYTES)).replace(/\ufffd+$/, '');
}

const same = (a: string, b: string): boolean => a.trim().toLowerCase() === b.trim().toLowerCase();

/** The network's own words first; then ours, so that a mapping need not repeat them. */
export function readStatus(value: string | null, network: NetworkInput): ConversionStatus {
  if (value === null) return network.noStatusMeans;
  const mapped = network.statusWords.find((w) => same(w.word, value))?.means;
  const means =
    mapped ??
    (['pending', 'approved', 'rejected', 'reversed', 'ignore'] as const).find((s) => same(s, value));
  if (means === undefined) throw new Repair('unmapped_status', value);
  if (means === 'ignore') throw new Repair('word_says_ignore', value, 'ignored');
  return means;
}

export function readEvent(
  value: string | null,
  network: NetworkInput,
  types: readonly EventTypeRule[],
): string {
  if (value === null) {
    const first = types[0];
    if (first === undefined) throw new Repair('unmapped_event', '');
    return first.id;
  }
  const mapped = network.eventWords.find((w) => same(w.word, value))?.eventTypeId;
  const found = types.find((t) => (mapped === undefined ? same(t.word, value) : t.id === mapped));
  if (found === undefined) throw new Repair('unmapped_event', value);
  return found.id;
}

export function readPayout(
  value: string | null,
  network: NetworkInput,
  status: ConversionStatus,
  notes: string[],
): { payout: Micros | null; status: ConversionStatus } {
  if (value === null) return { payout: null, status };
  const parsed = parseAmount(value, network.decimalMark, true);
  if (!parsed.ok)
    throw new Repair(
      'unreadable_payout',
      // What the network writes is not the reader's to write otherwise.
      parsed.problem === 'ambiguous'
        ? `“${value.slice(0, 40)}” is ambiguous. Set the decimal mark of this network.`
        : amountSentence(parsed.problem, value),
    );
  if (parsed.micros >= 0n || network.payoutMeans === 'difference') return { payout: parsed.micros, status };
  if (network.negativeMeans === 'error')
    throw new Repair(
      'unreadable_payout',
      `“${value}” is negative, and this network treats negative payouts as errors.`,
    );
  notes.push('refund');
  return { payout: -parsed.micros, status: 'reversed' };
}

export function readCurrency(value: string | null): string | null {
  if (value === null) return null;
  const code = value.toUpperCase();
  if (!isCurrency(code)) throw new Repair('unreadable_currency', value);
  return code;
}

/** ISO 8601 with zone, or seconds or milliseconds since 1970. A time that cannot be read is noted, not refused. */
export function readTime(value: string | null, name: string, notes: string[]): number | null {
  if (value === null) return null;
  const digits = /^\d{10}$|^\d{13}$/.test(value);
  // Between date and time stands a T, a space, or a plus sign: a space that was encoded as in forms.
  const iso = value.replace(/^(\d{4}-\d\d-\d\d)[ +]/, '$1T');
  const zoned = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)?$/.test(iso);
  const ms = digits
    ? Number(value) * (value.length === 10 ? 1000 : 1)
    : zoned
      ? Date.parse(/(Z|[+-]\d\d:?\d\d)$/.test(iso) ? iso : `${iso}Z`)
      : NaN;
  // Before 2000 or after 2100 it is a mistake, not a time.
  if (Number.isFinite(ms) && ms > 946_684_800_000 && ms < 4_102_444_800_000) return ms;
  notes.push(`unreadable:${name}`);
  return null;
}

/** By the network's mapping first, then whatever begins with x_. */
function readExtras(query: ParsedQuery, network: NetworkInput): Record<string, string> {
  const extras = new Map<string, string>();
  const read = (name: string, wire: string, macro: string): void => {
    const raw = query.raw.get(wire);
    if (raw === undefined || extras.has(name) || extras.size >= MAX_EXTRAS) return;
    const found = presence(cleanText(plusAsSpace(raw)).slice(0, MAX_EXTRA_LENGTH), macro);
    if (found.state === 'present') extras.set(name, found.value);
  };
  const mapped = network.extras ?? [];
  for (const x of mapped) read(x.name, extraWireName(x), x.macro);
  const wires = new Set(mapped.map(extraWireName));
  for (const [wire] of query.values)
    if (wire.startsWith('x_') && wire.length > 2 && !wires.has(wire)) read(wire.slice(2, 66), wire, '');
  return Object.fromEntries(extras);
}
const MAX_EXTRAS = 20;
const MAX_EXTRA_LENGTH = 512;
