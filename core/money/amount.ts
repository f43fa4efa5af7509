/**
 * Money is a BigInt of micro-units (1 000 000 = 1.00). Text from partners becomes money here and nowhere else;
 * what could mean two amounts is refused with the reason, never guessed.
 */
export type Micros = bigint;
export const MICROS_PER_UNIT = 1_000_000n;
const MAX_WHOLE_DIGITS = 12;
/** Largest sum that is booked, in either direction: 10¹² units. */
export const MAX_AMOUNT_MICROS = 10n ** 18n;

/** Integer division, half away from zero; `by` is above zero. */
export function divideRounded(micros: Micros, by: bigint): Micros {
  const [abs, sign] = micros < 0n ? [-micros, -1n] : [micros, 1n];
  return (sign * (2n * abs + by)) / (2n * by);
}

export type AmountProblem = 'empty' | 'ambiguous' | 'too_precise' | 'not_a_number' | 'too_large';
export type ParsedAmount = { ok: true; micros: Micros } | { ok: false; problem: AmountProblem };

/** `''` means undeclared: the mark is taken from the text where only one reading is possible. */
export type DecimalMark = '' | '.' | ',';

const PLACES = 6;
/** Bids are told per view or per thousandth of a cent; nothing pays out so finely. */
const COST_PLACES = 9;

/** A cost in billionths of a unit, with up to nine decimals. `isFine`: it has more than an amount can hold. */
export function parseCost(
  raw: string,
  mark: DecimalMark = '',
): { ok: true; nanos: bigint; isFine: boolean } | { ok: false; problem: AmountProblem } {
  const read = readDigits(raw.trim(), mark);
  if (typeof read === 'string') return { ok: false, problem: read };
  const { whole, fraction } = read;
  if (fraction.length > COST_PLACES) return { ok: false, problem: 'too_precise' };
  return { ok: true, nanos: scaled(whole, fraction, COST_PLACES), isFine: fraction.length > PLACES };
}

/** What a source bills, as micro-units: below zero it gives it back. More than six decimals are rounded half away from zero. */
export function parseBilled(raw: string, mark: DecimalMark = ''): ParsedAmount {
  const isNegative = /^[-\u2212]/.test(raw);
  const read = parseCost(isNegative ? raw.slice(1) : raw, mark);
  if (!read.ok) return read;
  const micros = (2n * read.nanos + 1000n) / 2000n;
  return { ok: true, micros: isNegative ? -micros : micros };
}

/**
 * Reads an unsigned amount. A leading `-` is accepted only with `negative: true` (what it means is the
 * network's matter); `+`, exponents, currency marks, spaces inside and digits other than 0–9 are refused.
 */
export function parseAmount(raw: string, mark: DecimalMark = '', negative = false): ParsedAmount {
  let text = raw.trim();
  if (text === '') return { ok: false, problem: 'empty' };
  const minus = negative && text.startsWith('-');
  if (minus) text = text.slice(1);
  const read = readDigits(text, mark);
  if (typeof read === 'string') return { ok: false, problem: read };
  if (read.fraction.length > PLACES) return { ok: false, problem: 'too_precise' };
  const micros = scaled(read.whole, read.fraction, PLACES);
  return { ok: true, micros: minus ? -micros : micros };
}

function readDigits(text: string, mark: DecimalMark): { whole: string; fraction: string } | AmountProblem {
  if (text === '') return 'empty';
  if (!/^[0-9.,]+$/.test(text) || !/[0-9]/.test(text)) return 'not_a_number';
  const split = mark === '' ? splitUndeclared(text) : splitDeclared(text, mark);
  if (typeof split === 'string') return split;
  const [whole, fraction] = split;
  return whole.replace(/^0+/, '').length > MAX_WHOLE_DIGITS ? 'too_large' : { whole, fraction };
}

const scaled = (whole: string, fraction: string, places: number): bigint =>
  BigInt(`${whole || '0'}${fraction.padEnd(places, '0')}`);

type Split = [whole: string, fraction: string] | AmountProblem;

function splitDeclared(text: string, mark: '.' | ','): Split {
  const group = mark === '.' ? ',' : '.';
  const at = text.indexOf(mark);
  const whole = at < 0 ? text : text.slice(0, at);
  const fraction = at < 0 ? '' : text.slice(at + 1);
  if (/[.,]/.test(fraction)) return 'not_a_number';
  if (at >= 0 && fraction === '') return 'not_a_number';
  const digits = ungroup(whole, group);
  return digits === null ? 'not_a_number' : [digits, fraction];
}

function splitUndeclared(text: string): Split {
  const dots = count(text, '.');
  const commas = count(text, ',');
  if (dots === 0 && commas === 0) return [text, ''];
  if (dots > 0 && commas > 0)
    return splitDeclared(text, text.lastIndexOf('.') > text.lastIndexOf(',') ? '.' : ',');
  if (dots === 1) return splitDeclared(text, '.');
  if (dots > 1) return splitDeclared(text, ',');
  if (commas > 1) return splitDeclared(text, '.');
  // One comma alone: decimal unless it could just as well group thousands (`1,234` but not `0,012`).
  const [whole = '', fraction = ''] = text.split(',');
  if (fraction.length === 3 && /^[1-9]\d{0,2}$/.test(whole)) return 'ambiguous';
  return splitDeclared(text, ',');
}

/** Digits of a whole part whose thousands may be grouped; null when a group has not three digits. */
function ungroup(whole: string, group: string): string | null {
  if (!whole.includes(group)) return whole;
  const [first = '', ...rest] = whole.split(group);
  if (!/^\d{1,3}$/.test(first) || rest.some((r) => !/^\d{3}$/.test(r))) return null;
  return first + rest.join('');
}

const count = (text: string, mark: string): number => text.split(mark).length - 1;

/** Decimal text with at least two and at most six places, `.` as mark, `-` as sign: the form partners get. */
export function formatAmount(micros: Micros): string {
  const sign = micros < 0n ? '-' : '';
  const abs = micros < 0n ? -micros : micros;
  const fraction = (abs % MICROS_PER_UNIT)
    .toString()
    .padStart(6, '0')
    .replace(/0{1,4}$/, '');
  return `${sign}${abs / MICROS_PER_UNIT}.${fraction}`;
}

/** One sentence for a refused amount. */
export function amountSentence(problem: AmountProblem, raw: string): string {
  const quoted = `“${raw.slice(0, 40)}”`;
  switch (problem) {
    case 'empty':
      return 'There is no amount.';
    case 'ambiguous':
      return `${quoted} is ambiguous. Write ${raw.trim().replace(/[.,]/g, '')} or ${raw.trim().replace(',', '.')}.`;
    case 'too_precise':
      return `${quoted} has more than six decimals. Use at most six.`;
    case 'too_large':
      return `${quoted} is too large.`;
    case 'not_a_number':
      return `${quoted} is not an amount. Write it like 12.50.`;
  }
}
