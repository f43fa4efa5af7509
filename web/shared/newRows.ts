/**
 * The rows that lists in forms grow by. One that is still as it was added is no row: it is left out when the form is
 * checked and saved, so that a click on *Add* too many blocks nothing.
 */
import type {
  NetworkInput,
  OfferInput,
  PartnerInput,
  PartKind,
  PartnerAmount,
  SourceInput,
} from '@tracheon/core/contract';

/** What a word means is chosen by the member, never by us: until then the form asks for it. */
const notChosen = '' as NetworkInput['statusWords'][number]['means'];

const noAmount = (): PartnerAmount => ({ pays: 'fixed', amountMicros: '', percent: '0' });

export const newRow = {
  statusWord: (): NetworkInput['statusWords'][number] => ({ word: '', means: notChosen }),
  /** `only`: the desk's one event type, where there is no choice. */
  eventWord: (only = ''): NetworkInput['eventWords'][number] => ({ word: '', eventTypeId: only }),
  currencyWord: (): NetworkInput['currencyWords'][number] => ({ word: '', currency: '' }),
  extra: (): NetworkInput['extras'][number] => ({ name: '', macro: '', parameter: '' }),
  subParameter: (): NetworkInput['subParameters'][number] => ({
    parameter: '',
    limit: 0,
    token: '',
    demanded: false,
  }),
  blockedSub: (): PartnerInput['blockedSubs'][number] => ({ sub: '', values: [] }),
  moreCap: (): OfferInput['moreCaps'][number] => ({
    who: 'all',
    partnerId: '',
    measure: 'conversions',
    count: 0,
    amountMicros: '',
    period: 'day',
  }),
  parameter: (): SourceInput['parameters'][number] => ({
    parameter: '',
    macro: '',
    role: 'sub',
    sub: '',
    meaning: '',
    report: true,
    personal: false,
    leftOff: [],
  }),
  account: (): SourceInput['accounts'][number] => ({ name: '', postbackUrl: '' }),
  fileColumn: (): SourceInput['fileColumns'][number] => ({ field: 'transaction', name: '' }),
  header: (): SourceInput['postbackHeaders'][number] => ({ name: '', value: '', secretId: '' }),
  payout: (): OfferInput['payouts'][number] => ({
    eventTypeId: '',
    country: '',
    amountMicros: '',
    validFrom: '',
  }),
  partnerPayout: (): OfferInput['partnerPayouts'][number] => ({
    ...noAmount(),
    eventTypeId: '',
    approval: 'advertiser',
    afterDays: 14,
    mayExceedRevenue: false,
    exceptions: [],
  }),
  partnerException: (): OfferInput['partnerPayouts'][number]['exceptions'][number] => ({
    ...noAmount(),
    partnerId: '',
    country: '',
  }),
};
/** By list: whether a row is one that nothing was typed into. */
type Blank = (row: object) => boolean;
const as =
  (make: () => object): Blank =>
  (row) =>
    JSON.stringify(row) === JSON.stringify(make());
const lists: Partial<Record<PartKind, Record<string, Blank>>> = {
  network: {
    statusWords: as(newRow.statusWord),
    eventWords: (row) => (row as NetworkInput['eventWords'][number]).word === '',
    currencyWords: as(newRow.currencyWord),
    extras: as(newRow.extra),
    subParameters: as(newRow.subParameter),
  },
  source: { parameters: as(newRow.parameter), accounts: as(newRow.account) },
  offer: {
    payouts: as(newRow.payout),
    partnerPayouts: as(newRow.partnerPayout),
    moreCaps: as(newRow.moreCap),
  },
  partner: { blockedSubs: as(newRow.blockedSub) },
};

export interface WithoutBlankRows<T> {
  value: T;
  /** A message's path among all rows, from its path among those that were kept. */
  pathOf: (path: string) => string;
}

export function withoutBlankRows<T extends object>(kind: PartKind, body: T): WithoutBlankRows<T> {
  const value = { ...body } as Record<string, unknown>;
  const places: Record<string, number[]> = {};
  for (const [list, isBlank] of Object.entries(lists[kind] ?? {})) {
    const rows = value[list] as object[] | undefined;
    if (!rows) continue;
    places[list] = rows.flatMap((row, i) => (isBlank(row) ? [] : [i]));
    value[list] = places[list].map((i) => rows[i]);
  }
  const pathOf = (path: string): string => {
    const [list = '', i = '', ...rest] = path.split('.');
    const place = places[list]?.[Number(i)];
    return place === undefined || i === '' ? path : [list, place, ...rest].join('.');
  };
  return { value: value as T, pathOf };
}
