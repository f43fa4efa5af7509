/**
 * The columns of a visit. Each has its type, its name in the database, its value when nothing is known, whether reports can
 * group by it, and the token that carries it. To add a dimension, add one line here and a migration.
 */
import type { Micros } from '../money/index.ts';

/** What became of a visitor, apart from the branch: where the visit was sent, or why nowhere. */
export const visitFates = [
  'sent',
  'offer_fallback',
  'campaign_fallback',
  'desk_fallback',
  'paused',
  'no_offer',
] as const;
export type VisitFate = (typeof visitFates)[number];

/** Kinds of values in PostgreSQL. `micros` may be null: not known. */
export type ColumnType = 'text' | 'int' | 'bool' | 'time' | 'micros' | 'json';

/** The note on a visit whose visitor was refused: neither an offer nor an address took it. */
export const SENT_NOWHERE = 'sent_nowhere';

/** How a value is grouped and named in reports: as it stands, or by the record whose ID it is. */
export type DimensionOf =
  | 'value'
  | 'campaign'
  | 'source'
  | 'network'
  | 'offer'
  | 'landing-page'
  | 'branch'
  | 'partner'
  | 'pairing';

export interface Dimension {
  label: string;
  of: DimensionOf;
}

/** How the values of a condition are compared; see conditions.ts. */
export type ConditionKind =
  | 'text'
  | 'version'
  | 'amount'
  | 'flag'
  | 'record'
  | 'offers'
  | 'address'
  | 'hour'
  | 'weekday';

export interface VisitColumn<T> {
  name: string;
  type: ColumnType;
  /** Of a visit of which nothing is known, and of rows that older versions have spooled. */
  unknown: T;
  dimension?: Dimension;
  /** The token that carries it as it stands; absent when it is empty. */
  token?: string;
  /** Branches can ask for it. */
  condition?: { label: string; kind: ConditionKind };
  /** May point to a person: erasure sets it to what is unknown. */
  isPersonal?: true;
}

const text = (name: string, more: Partial<VisitColumn<string>> = {}): VisitColumn<string> => ({
  name,
  type: 'text',
  unknown: '',
  ...more,
});
const int = (name: string): VisitColumn<number> => ({ name, type: 'int', unknown: 0 });
const bool = (name: string): VisitColumn<boolean> => ({ name, type: 'bool', unknown: false });
const by = (label: string, of: DimensionOf = 'value'): { dimension: Dimension } => ({
  dimension: { label, of },
});
const asked = (label: string, kind: ConditionKind = 'text') => ({ condition: { label, kind } });
/** A dimension that branches can ask for, and whose token has the column's own name. */
const told = (name: string, label: string, kind: ConditionKind = 'text'): VisitColumn<string> =>
  text(name, { ...by(label), ...asked(label, kind), token: name });
const personal = { isPersonal: true } as const;

export const visitColumns = {
  deskId: text('desk_id'),
  id: text('id'),
  atMs: { name: 'at', type: 'time', unknown: 0 } as VisitColumn<number>,
  campaignId: text('campaign_id', by('Campaign', 'campaign')),
  campaignVersion: int('campaign_version'),
  sourceId: text('source_id', { ...by('Source', 'source'), ...asked('Source', 'record') }),
  /** The source's account in which the campaign runs, by its name; empty: the source's own. */
  accountId: text('account_id', by('Account')),
  adFormat: text('ad_format', by('Ad format')),
  /** The partner who sent the visitor; empty for everybody else's. */
  broughtBy: text('brought_by', {
    ...by('Partner', 'partner'),
    ...asked('Partner', 'record'),
    token: 'partner_id',
  }),
  fate: { name: 'fate', type: 'text', unknown: 'sent', ...by('Where it went') } as VisitColumn<VisitFate>,
  branchId: text('branch_id', by('Branch', 'branch')),
  pairingId: text('pairing_id', by('Pairing', 'pairing')),
  /** Empty when the visitor was sent to no offer. */
  offerId: text('offer_id', by('Offer', 'offer')),
  offerVersion: int('offer_version'),
  networkId: text('network_id', by('Network', 'network')),
  /** Empty for a direct link. */
  landingId: text('landing_id', by('Landing page', 'landing-page')),
  landingVersion: int('landing_version'),
  country: told('country', 'Country'),
  region: { ...told('region', 'Region'), ...personal },
  city: { ...told('city', 'City'), ...personal },
  isp: { ...told('isp', 'Internet provider'), ...personal },
  connection: told('connection', 'Connection'),
  language: told('language', 'Language'),
  device: told('device', 'Device'),
  deviceModel: told('device_model', 'Device model'),
  os: told('os', 'Operating system'),
  osVersion: told('os_version', 'Operating system version', 'version'),
  browser: told('browser', 'Browser'),
  browserVersion: told('browser_version', 'Browser version', 'version'),
  referrerHost: { ...told('referrer_host', 'Referrer host'), ...personal },
  isBot: bool('is_bot'),
  /** What told the bot: `agent`, `no_agent`, or the desk’s own list (`listed_agent`, `listed_address`); empty for people, and kept when a conversion clears the mark. */
  botReason: text('bot_reason', by('Bot recognized by')),
  isRepeat: bool('is_repeat'),
  isUnique: { ...bool('is_unique'), ...asked('Unique', 'flag') },
  isTest: bool('is_test'),
  /** Address and agent decided between unique and returning, not a cookie. */
  guessed: bool('guessed'),
  visitorHash: text('visitor_hash', personal),
  /** null where no cost is known. */
  costMicros: {
    name: 'cost_micros',
    type: 'micros',
    unknown: null,
    ...asked('Cost', 'amount'),
  } as VisitColumn<Micros | null>,
  costCurrency: text('cost_currency', { token: 'currency' }),
  sourceClickId: text('source_click_id', { token: 'source_click_id', ...personal }),
  subs: { name: 'subs', type: 'json', unknown: Object.freeze({}) } as VisitColumn<Record<string, string>>,
  notes: { name: 'notes', type: 'json', unknown: Object.freeze([]) as unknown } as VisitColumn<string[]>,
  rawQuery: text('raw_query', personal),
  addressPrefix: text('address_prefix', personal),
} satisfies Record<string, VisitColumn<never> | VisitColumn<unknown>>;

type ValueOf<C> = C extends VisitColumn<infer T> ? T : never;
export type VisitField = keyof typeof visitColumns;
/** A visit as it stands in its table. */
export type StoredVisit = { [Field in VisitField]: ValueOf<(typeof visitColumns)[Field]> };

export const visitFields = Object.keys(visitColumns) as VisitField[];
/** Fields that are dimensions; conversions carry all of them. */
export const dimensionFields = visitFields.filter((field) => dimensionOf(field) !== undefined);

export function dimensionOf(field: VisitField): Dimension | undefined {
  return (visitColumns[field] as VisitColumn<unknown>).dimension;
}

/** Fields that erasure empties, sub-IDs and notes aside. */
export const personalFields = visitFields.filter(
  (field) => (visitColumns[field] as VisitColumn<unknown>).isPersonal,
);

/** A visit of which nothing is known. */
export const unknownVisit: Readonly<StoredVisit> = Object.freeze(
  Object.fromEntries(visitFields.map((field) => [field, visitColumns[field].unknown])),
) as unknown as StoredVisit;

/** Field by token, for tokens that carry a column as it stands. */
export const fieldByToken: ReadonlyMap<string, VisitField> = new Map(
  visitFields.flatMap((field) => {
    const { token } = visitColumns[field] as VisitColumn<unknown>;
    return token === undefined ? [] : [[token, field] as const];
  }),
);
