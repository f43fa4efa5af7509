/**
 * How one postback is read, step by step: each parameter, the field of ours that it fills, its value, and what the value
 * means with the network's mapping as it is now. By the same functions that read it for booking (signal.ts).
 */
import { postbackFields, type NetworkInput, type PostbackField } from '../contract/index.ts';
import { extraWireName, presence, type ParsedPostback, type Presence } from '../links/index.ts';
import { formatAmount } from '../money/index.ts';
import { reasonSentence } from './reasons.ts';
import { readTime } from './readTime.ts';
import { compoundIn, fieldIn, withoutOwner } from './signal.ts';
import {
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

export interface ReadingStep {
  /** As the network wrote it; empty where the postback doesn't have it. */
  parameter: string;
  /** Our name of the field; empty where nothing of ours takes the parameter. */
  field: string;
  value: string;
  /** What the value means, or what stands in for one that is missing. */
  meaning: string;
  /** This is what needs repair. */
  isTrouble: boolean;
}
type Event = EventTypeRule & { name: string };

/** Names of the fields as the screens show them. */
export const postbackFieldLabels: Record<PostbackField, string> = {
  click_id: 'Click ID',
  payout: 'Payout',
  currency: 'Currency',
  transaction: 'Transaction',
  event: 'Event',
  status: 'Status',
  conversion_time: 'Conversion time',
  changed_time: 'Time of change',
  partner_id: 'Partner ID',
  offer_id: 'Offer ID',
  sale: 'Sale amount',
  sale_currency: 'Sale currency',
};
/** Few networks send them: a postback without them lacks nothing. */
const seldom: ReadonlySet<PostbackField> = new Set<PostbackField>(['sale', 'sale_currency']);
const SHOWN_CHARACTERS = 300;
const cut = (text: string): string =>
  text.length > SHOWN_CHARACTERS ? `${text.slice(0, SHOWN_CHARACTERS)}…` : text;

export function explainPostback(
  query: ParsedPostback,
  network: NetworkInput,
  eventTypes: readonly Event[],
  arrivedAt: number,
  /** Its click ID is one of another system, which was carried over. */
  isCarried = false,
): ReadingStep[] {
  const taken = new Set<string>();
  const found = new Map(
    postbackFields.map((field) => {
      const { parameter, value: raw } = fieldIn(query, network, field);
      if (raw !== undefined) taken.add(parameter);
      return [field, { parameter, raw, ...presence(raw, network.fields[field].macro) }] as const;
    }),
  );
  const hasOwner = (['click_id', 'transaction'] as const).some((f) => found.get(f)!.state === 'present');
  const shown = [...found].filter(([field, f]) => f.raw !== undefined || !seldom.has(field));
  const steps = shown.map(([field, f]) => {
    const value = f.state === 'present' ? f.value : null;
    const compound = compoundIn(query, network, field);
    const as = { parameter: f.raw === undefined ? '' : f.parameter, field: postbackFieldLabels[field] };
    if (field === 'click_id' && !hasOwner)
      return {
        ...as,
        value: cut(f.raw ?? ''),
        ...asTrouble(withoutOwner(query, network, f, partnerOf(found.get('partner_id')!))),
      };
    if (compound !== undefined)
      return {
        ...as,
        parameter: compound,
        value: '{…}',
        ...asTrouble(new Repair('not_a_value', compound)),
      };
    return {
      ...as,
      value: cut(f.raw ?? ''),
      ...(f.state === 'unsubstituted'
        ? plain('The network did not replace its macro. Tracheon reads this as missing.')
        : meaningOf(field, value, { network, eventTypes, arrivedAt, isCarried })),
    };
  });
  return [...steps, ...extraSteps(query, network, taken)];
}

const partnerOf = (found: Presence): string => (found.state === 'present' ? found.value : '');

type Meaning = Pick<ReadingStep, 'meaning' | 'isTrouble'>;
const trouble = (meaning: string): Meaning => ({ meaning, isTrouble: true });
const asTrouble = ({ reason, detail }: Repair): Meaning => trouble(reasonSentence(reason, detail));
const plain = (meaning: string): Meaning => ({ meaning, isTrouble: false });

interface Ground {
  network: NetworkInput;
  eventTypes: readonly Event[];
  arrivedAt: number;
  isCarried: boolean;
}

function meaningOf(field: PostbackField, value: string | null, ground: Ground): Meaning {
  try {
    return plain(wordsOf(field, value, ground));
  } catch (error) {
    if (!(error instanceof Repair)) throw error;
    const said = reasonSentence(error.reason, error.detail);
    return error.outcome === 'repair' ? trouble(said) : plain(said);
  }
}

function wordsOf(
  field: PostbackField,
  value: string | null,
  { network, eventTypes, arrivedAt, isCarried }: Ground,
): string {
  switch (field) {
    case 'click_id':
      if (value === null) return 'Missing. Tracheon looks for the partner ID or the transaction instead.';
      if (readClickId(value, []) !== null && !isCarried) return 'One of our click IDs.';
      if (isMacroLeft(value)) throw new Repair('click_unsubstituted', value);
      if (isCarried) return 'A click ID of another tracker, from a file of carried-over click IDs.';
      throw new Repair('unknown_click', value);
    case 'transaction':
      return value === null
        ? 'Missing. Tracheon takes repeated postbacks as one conversion.'
        : 'Tells conversions of one visit apart.';
    case 'partner_id':
      return value === null
        ? 'Missing. Only networks that can’t store click IDs send it.'
        : 'Used where the postback has no click ID.';
    case 'offer_id':
      return value === null ? 'Missing.' : 'Says which offer the partner promotes.';
    case 'status': {
      const status = readStatus(value, network);
      return value === null ? `Missing. This network’s default is ${status}.` : `Means ${status}.`;
    }
    case 'event': {
      const id = readEvent(value, network, eventTypes);
      const name = eventTypes.find((t) => t.id === id)!.name;
      return value === null ? `Missing. The default event type is ${name}.` : `Means ${name}.`;
    }
    case 'payout': {
      if (value === null) return 'Missing. The offer’s payout counts, or the payout stays as it was.';
      const { payout, status } = readPayout(value, network, 'approved', []);
      return `Read as ${formatAmount(payout!)}${status === 'reversed' ? ', taken back: the conversion is reversed' : ''}.`;
    }
    case 'sale': {
      const sale = readSale(value, null, network, []);
      return sale === null
        ? 'Tracheon can’t read this amount. A partner payout by a share of the sale stays 0.'
        : `Read as ${formatAmount(sale.amount)}. Used for partner payouts by a share of the sale.`;
    }
    case 'sale_currency':
      return value === null
        ? 'Missing. The currency of the payout counts.'
        : `Read as ${readCurrency(value, network)}.`;
    case 'currency':
      return value === null
        ? 'Missing. The offer’s currency counts.'
        : `Read as ${readCurrency(value, network)}.`;
    default: {
      if (value === null) return 'Missing. Tracheon uses the time of arrival.';
      const ms = readTime(value, field, [], { zone: network.zone, arrivedAt });
      return ms === null
        ? 'Tracheon can’t use this time and takes the time of arrival.'
        : `${new Date(ms).toISOString().slice(0, 19).replace('T', ' ')} UTC.`;
    }
  }
}

function extraSteps(query: ParsedPostback, network: NetworkInput, taken: ReadonlySet<string>): ReadingStep[] {
  const mapped = new Map((network.extras ?? []).map((x) => [extraWireName(x), x.name]));
  return [...query.values]
    .filter(([parameter]) => !taken.has(parameter))
    .map(([parameter, value]) => {
      const extra = mapped.get(parameter) ?? (/^x_./.test(parameter) ? parameter.slice(2) : undefined);
      return {
        parameter: cut(parameter),
        field: extra ?? '',
        value: cut(value),
        meaning: extra === undefined ? 'Not used.' : `Kept as ${extra}.`,
        isTrouble: false,
      };
    });
}
