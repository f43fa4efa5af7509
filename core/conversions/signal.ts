/**
 * A signal is one call read with a network's mapping: what it says, in our words. Reading is pure; what cannot be
 * read with certainty is a reason for repair, never a guess.
 */
import {
  isNameTaken,
  postbackFields,
  type ConversionStatus,
  type NetworkInput,
  type PostbackField,
  type PostbackReason,
} from '../contract/index.ts';
import {
  cleanText,
  extraWireName,
  plusAsSpace,
  presence,
  wireName,
  type ParsedPostback,
  type ParsedQuery,
  type Presence,
} from '../links/index.ts';
import type { Micros } from '../money/index.ts';
import type { Sale } from './partnerPayout.ts';
import { readTime } from './readTime.ts';
import {
  cutTransaction,
  isMacroLeft,
  readClickId,
  readCurrency,
  readEvent,
  readPayout,
  readSale,
  readStatus,
  Repair,
  type EventTypeRule,
} from './readWords.ts';

export interface PostbackReading {
  clickId: string | null;
  /** What stood where the click ID belongs. Without `clickId`: an ID of another system, which may have been carried over. */
  clickIdText: string;
  transaction: string;
  /** The partner who brought the conversion, by the network's own ID, where there is no click ID; else empty. */
  partner: string;
  /** Which offer the partner promotes: our ID or the network's; empty where it is not told, or not needed. */
  offer: string;
  eventTypeId: string;
  /** False: the default event type stands in. */
  isEventTold: boolean;
  status: ConversionStatus;
  payout: Micros | null;
  currency: string | null;
  /** What the buyer paid, by which partners may be paid; null where it is not told. */
  sale: Sale | null;
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
      /** What is wrong with an amount; else empty. */
      kind: string;
      clickId: string | null;
      /** What it would pay, as far as that can be read; null when it cannot. */
      waiting: Waiting | null;
      notes: string[];
    };
export interface Waiting {
  payout: Micros;
  currency: string | null;
}

/** Aliases under which a field is looked for when its own parameter is not there. */
export const fieldAliases: Partial<Record<PostbackField, string>> = {
  payout: 'amount',
  transaction: 'txn',
  conversion_time: 'time',
};

/** `+` is a space in these, wherever they come; in a form it is one everywhere but in click IDs and transactions. */
const SPACED: ReadonlySet<PostbackField> = new Set<PostbackField>(['status', 'event']);
const NEVER_SPACED: ReadonlySet<PostbackField> = new Set<PostbackField>([
  'click_id',
  'transaction',
  'partner_id',
]);

/** The parameter that carries a field, and its value as it came; undefined when the postback does not have it. */
export function fieldIn(
  query: ParsedPostback,
  network: NetworkInput,
  name: PostbackField,
): { parameter: string; value: string | undefined } {
  const own = wireName(network, name);
  const alias = fieldAliases[name];
  const parameter = alias !== undefined && !query.values.has(own) && query.values.has(alias) ? alias : own;
  const told = query.values.get(parameter);
  const value = told !== undefined && isNameTaken(network, name) ? undefined : told;
  const isSpaced = SPACED.has(name) || (query.form.has(parameter) && !NEVER_SPACED.has(name));
  return {
    parameter,
    value:
      isSpaced && value?.includes('+') ? cleanText(plusAsSpace(query.raw.get(parameter) ?? value)) : value,
  };
}

export function readPostback(
  query: ParsedPostback,
  network: NetworkInput,
  eventTypes: readonly EventTypeRule[],
  arrivedAt: number,
  /** Whose browser it was, where the call says no click ID: of a pixel, by the cookie. */
  cookieClickId = '',
): ReadPostback {
  const notes: string[] = [...query.notes];
  const field = (name: PostbackField): Presence => {
    const { value } = fieldIn(query, network, name);
    const found = presence(value, network.fields[name].macro);
    if (found.state === 'unsubstituted') notes.push(`unsubstituted:${name}`);
    if (found.state === 'present' && value !== found.value) notes.push(`trimmed:${name}`);
    return found;
  };
  const text = (name: PostbackField): string | null => {
    const found = field(name);
    return found.state === 'present' ? found.value : null;
  };
  const ground = { zone: network.zone, arrivedAt };
  const told = field('click_id');
  const isByCookie = told.state !== 'present' && cookieClickId !== '';
  if (isByCookie) notes.push('cookie:click_id');
  const clickField: Presence = isByCookie ? { state: 'present', value: cookieClickId } : told;
  const clickIdText = clickField.state === 'present' ? clickField.value : '';
  const clickId = readClickId(clickIdText, notes);
  try {
    refuseCompound(query, network);
    const transaction = cutTransaction(text('transaction') ?? '', notes);
    const status = readStatus(text('status'), network);
    const event = text('event');
    const eventTypeId = readEvent(event, network, eventTypes);
    const amount = readPayout(text('payout'), network, status, notes);
    const partner = clickIdText === '' ? cutTransaction(text('partner_id') ?? '', notes, 'partner_id') : '';
    if (clickIdText === '' && transaction === '') throw withoutOwner(query, network, clickField, partner);
    if (clickId === null && isMacroLeft(clickIdText)) throw new Repair('click_unsubstituted', clickIdText);
    return {
      ok: true,
      reading: {
        clickId,
        clickIdText,
        transaction,
        partner,
        offer: partner === '' ? '' : (text('offer_id') ?? ''),
        eventTypeId,
        isEventTold: event !== null,
        status: amount.status,
        payout: amount.payout,
        currency: readCurrency(text('currency'), network),
        sale: readSale(text('sale'), text('sale_currency'), network, notes),
        conversionTime: readTime(text('conversion_time'), 'conversion_time', notes, ground),
        changedTime: readTime(text('changed_time'), 'changed_time', notes, ground),
        extras: readExtras(query, network),
        notes,
      },
    };
  } catch (error) {
    if (!(error instanceof Repair)) throw error;
    const { outcome, reason, detail, kind } = error;
    return { ok: false, outcome, reason, detail, kind, clickId, waiting: waitingIn(query, network), notes };
  }
}

/** What a call that needs repair would pay. A hint for whoever repairs it; nothing is booked by it. */
export function waitingIn(query: ParsedPostback, network: NetworkInput): Waiting | null {
  const read = (name: PostbackField): string | null => {
    const found = presence(fieldIn(query, network, name).value, network.fields[name].macro);
    return found.state === 'present' ? found.value : null;
  };
  try {
    const { payout } = readPayout(read('payout'), network, 'approved', []);
    return payout === null ? null : { payout, currency: readCurrency(read('currency'), network) };
  } catch (error) {
    if (!(error instanceof Repair)) throw error;
    return null;
  }
}

/** The parameter of a field that holds an object or a list; a guess at what it means could be money. */
export function compoundIn(
  query: ParsedPostback,
  network: NetworkInput,
  name: PostbackField,
): string | undefined {
  return [wireName(network, name), fieldAliases[name] ?? ''].find((p) => query.compound.has(p));
}
function refuseCompound(query: ParsedPostback, network: NetworkInput): void {
  for (const name of postbackFields) {
    const parameter = compoundIn(query, network, name);
    if (parameter !== undefined) throw new Repair('not_a_value', parameter);
  }
}

/** Why nobody knows whose conversion this is. */
export function withoutOwner(
  query: ParsedPostback,
  network: NetworkInput,
  clickField: Pick<Presence, 'state'>,
  partner: string,
): Repair {
  if (query.bodyProblem !== '') return new Repair('unreadable_body', query.bodyProblem);
  if (partner !== '') return new Repair('partner_without_transaction', partner);
  return clickField.state === 'unsubstituted'
    ? new Repair('click_unsubstituted', network.fields.click_id.macro)
    : new Repair('no_click_id', '');
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
