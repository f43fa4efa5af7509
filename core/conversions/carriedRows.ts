/** Rows of a file of click IDs of an earlier tracker: what its columns mean, and one row read. */
import {
  carriedFields,
  type CarriedField,
  type CarriedSettings,
  type CarriedTarget,
} from '../contract/index.ts';
import { asIsoDate } from '../time/index.ts';
import { readTime } from './readTime.ts';

/** Names that columns have elsewhere, in letters and digits only. */
const usual: Record<CarriedField, readonly string[]> = {
  click_id: ['clickid', 'click', 'cid', 'visitid', 'subid', 'uniqueid'],
  visit_time: ['visittime', 'time', 'clicktime', 'date', 'datetime', 'timestamp', 'createdat', 'visitedat'],
  campaign: ['campaign', 'campaignname', 'campaignid'],
  offer: ['offer', 'offername', 'offerid'],
  source_click_id: ['sourceclickid', 'externalid', 'trafficclickid', 'sourceclick'],
  country: ['country', 'countrycode', 'geo'],
};
const plain = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]/g, '');

/** What each column probably means; `subs` are the names of the desk's named sub-IDs. */
export function guessCarriedTargets(header: readonly string[], subs: readonly string[]): CarriedTarget[] {
  const targets: CarriedTarget[] = header.map(() => '');
  for (const field of carriedFields)
    for (const name of usual[field]) {
      const column = header.findIndex((h, i) => targets[i] === '' && plain(h) === name);
      if (column < 0 || targets.includes(field)) continue;
      targets[column] = field;
    }
  for (const sub of subs) {
    const column = header.findIndex((h, i) => targets[i] === '' && plain(h) === plain(sub));
    if (column >= 0) targets[column] = `sub_${sub}`;
  }
  return targets;
}

export interface CarriedGround {
  /** A campaign by its ID, its key or its name; undefined for none. */
  campaignOf: (text: string) => { id: string; sourceId: string } | undefined;
  /** The ID of an offer, by ours, the network's or its name; undefined for none. */
  offerOf: (text: string) => string | undefined;
  /** In ms since 1970. */
  now: number;
}
export interface CarriedClick {
  foreignId: string;
  visitAt: number;
  campaignId: string;
  sourceId: string;
  /** Empty: the row names none. */
  offerId: string;
  sourceClickId: string;
  country: string;
  subs: Record<string, string>;
}

const MAX_ID_BYTES = 255;
const MAX_VALUE_LENGTH = 512;

/** The click that a row tells of, or why it tells of none. */
export function readCarriedRow(
  cells: readonly string[],
  { targets, campaignId, zone, dates }: CarriedSettings,
  { campaignOf, offerOf, now }: CarriedGround,
): { ok: true; click: CarriedClick } | { ok: false; why: string } {
  const cell = (target: CarriedTarget): string => {
    const i = targets.indexOf(target);
    return i < 0 ? '' : (cells[i] ?? '').trim().toWellFormed();
  };
  const no = (why: string) => ({ ok: false as const, why });
  const foreignId = cell('click_id');
  if (foreignId === '') return no('The click ID is missing.');
  if (new TextEncoder().encode(foreignId).length > MAX_ID_BYTES)
    return no(`The click ID is longer than ${MAX_ID_BYTES} bytes.`);
  const time = cell('visit_time');
  const visitAt = readTime(asIsoDate(time, dates), 'visit_time', [], { zone, arrivedAt: now });
  if (visitAt === null) return no(`Tracheon can’t read the visit time “${time.slice(0, 40)}”.`);
  const named = cell('campaign') || campaignId;
  const campaign = campaignOf(named);
  if (!campaign)
    return no(
      named === '' ? 'The campaign is missing.' : `No campaign has the name “${named.slice(0, 60)}”.`,
    );
  const offer = cell('offer');
  const offerId = offer === '' ? '' : offerOf(offer);
  if (offerId === undefined) return no(`No offer has the name “${offer.slice(0, 60)}”.`);
  const country = cell('country').toUpperCase();
  const subs = targets.flatMap((target, i): [string, string][] => {
    const value = (cells[i] ?? '').trim().toWellFormed().slice(0, MAX_VALUE_LENGTH);
    return target.startsWith('sub_') && value !== '' ? [[target.slice(4), value]] : [];
  });
  return {
    ok: true,
    click: {
      foreignId,
      visitAt,
      campaignId: campaign.id,
      sourceId: campaign.sourceId,
      offerId,
      sourceClickId: cell('source_click_id').slice(0, MAX_VALUE_LENGTH),
      country: /^[A-Z]{2}$/.test(country) ? country : '',
      subs: Object.fromEntries(subs),
    },
  };
}
