/** Values of a postback as a network's mapping reads them. What cannot be read with certainty is a reason for repair, never a guess. */
import { sha256 } from '@noble/hashes/sha2.js';
import type { ConversionStatus, NetworkInput, PostbackReason } from '../contract/index.ts';
import { isCurrency } from '../contract/index.ts';
import type { Sale } from './partnerPayout.ts';
import { parseClickId } from '../identity/index.ts';
import { decodePercent } from '../links/index.ts';
import { styleOf } from '../tokens/index.ts';
import { amountSentence, parseAmount, type AmountProblem, type Micros } from '../money/index.ts';

export interface EventTypeRule {
  id: string;
  word: string;
  repeats: boolean;
  /** An archived one still books what is told of it by name; only a live one stands in for what is not told. */
  live?: boolean;
}

/** Thrown where reading cannot go on: the reason, and the text that it is about. */
export class Repair extends Error {
  constructor(
    readonly reason: PostbackReason,
    readonly detail: string,
    readonly outcome: 'repair' | 'ignored' = 'repair',
    /** What is wrong with an amount: those of one kind are repaired alike. */
    readonly kind = '',
  ) {
    super(reason);
  }
}

/** What certainly is our click ID, though a partner has left its own marks around it. */
const WRAPPED = /^[{[("'<“‘]+\s*([0-9A-Za-z]{26})\s*[}\])"'>”’]+$/;
export function readClickId(text: string, notes: string[]): string | null {
  const plain = parseClickId(text);
  if (plain !== null) return plain;
  const inside = WRAPPED.exec(text)?.[1];
  const unwrapped = inside === undefined ? null : parseClickId(inside);
  if (unwrapped !== null) notes.push('unwrapped:click_id');
  return unwrapped;
}

/** True when the network sent its macro instead of a click ID. */
export const isMacroLeft = (text: string): boolean => styleOf(decodePercent(text)) !== null;

/** Longest transaction kept as it is. */
const MAX_TRANSACTION_BYTES = 255;
/** Of a longer one so much is kept, and the hash of the whole: two that begin alike stay two. */
const KEPT_BYTES = 190;
export function cutTransaction(value: string, notes: string[], field = 'transaction'): string {
  const bytes = new TextEncoder().encode(value);
  if (bytes.length <= MAX_TRANSACTION_BYTES) return value;
  notes.push(`cut:${field}`);
  let end = KEPT_BYTES;
  while ((bytes[end]! & 0xc0) === 0x80) end -= 1;
  const hash = [...sha256(bytes)].map((b) => b.toString(16).padStart(2, '0')).join('');
  return new TextDecoder().decode(bytes.subarray(0, end)) + hash;
}

/** Without regard to case and the space around. */
export const sameWord = (a: string, b: string): boolean => a.trim().toLowerCase() === b.trim().toLowerCase();

/** The network's own words first; then ours, so that a mapping need not repeat them. */
export function readStatus(value: string | null, network: NetworkInput): ConversionStatus {
  if (value === null) return network.noStatusMeans;
  const mapped = network.statusWords.find((w) => sameWord(w.word, value))?.means;
  const means =
    mapped ??
    (['pending', 'approved', 'rejected', 'reversed', 'ignore'] as const).find((s) => sameWord(s, value));
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
    const first = types.find((t) => t.live !== false);
    if (first === undefined) throw new Repair('unmapped_event', '');
    return first.id;
  }
  const mapped = network.eventWords.find((w) => sameWord(w.word, value))?.eventTypeId;
  const fitting = types.filter((t) => (mapped === undefined ? sameWord(t.word, value) : t.id === mapped));
  const found = fitting.find((t) => t.live !== false) ?? fitting[0];
  if (found === undefined) throw new Repair('unmapped_event', value);
  return found.id;
}

function payoutSentence(problem: AmountProblem, value: string, mark: NetworkInput['decimalMark']): string {
  if (problem === 'ambiguous') return `“${value}” is ambiguous. Set the decimal mark of this network.`;
  // Readable, had the network not said how it writes.
  if (mark !== '' && parseAmount(value, '', true).ok)
    return `“${value}” doesn’t fit this network’s decimal mark, the ${mark === '.' ? 'point' : 'comma'}.`;
  return amountSentence(problem, value);
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
      payoutSentence(parsed.problem, value.slice(0, 40), network.decimalMark),
      'repair',
      parsed.problem,
    );
  if (parsed.micros >= 0n || network.payoutMeans === 'difference') return { payout: parsed.micros, status };
  if (network.negativeMeans === 'error')
    throw new Repair(
      'unreadable_payout',
      `“${value}” is negative, and this network treats negative payouts as errors.`,
      'repair',
      'negative',
    );
  notes.push('refund');
  return { payout: -parsed.micros, status: 'reversed' };
}

/** Never a reason for repair: the revenue does not depend on it. What can't be read counts as missing, and is noted. */
export function readSale(
  value: string | null,
  currency: string | null,
  network: Pick<NetworkInput, 'decimalMark' | 'currencyWords'>,
  notes: string[],
): Sale | null {
  if (value === null) return null;
  const parsed = parseAmount(value, network.decimalMark);
  try {
    if (parsed.ok) return { amount: parsed.micros, currency: readCurrency(currency, network) };
  } catch (error) {
    if (!(error instanceof Repair)) throw error;
  }
  notes.push('no_amount:sale');
  return null;
}

/** The network's own words first. */
export function readCurrency(
  value: string | null,
  { currencyWords }: Pick<NetworkInput, 'currencyWords'>,
): string | null {
  if (value === null) return null;
  const mapped = currencyWords?.find((w) => sameWord(w.word, value))?.currency;
  const code = mapped ?? value.toUpperCase();
  if (!isCurrency(code)) throw new Repair('unreadable_currency', value);
  return code;
}
