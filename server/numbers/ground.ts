/** What a question is answered with besides the index: the desk's zone, currency, rates, and the names of its records. */
import type { Pool } from 'pg';
import {
  verdictRules,
  type CampaignInput,
  type EventTypeInput,
  type OfferInput,
  type SourceInput,
  type VerdictRules,
} from '@tracheon/core/contract';
import { dimensionText, readFormula, type Formula, type Grouping } from '@tracheon/core/metrics';
import { ratesTo, type Rate } from '@tracheon/core/money';
import { branchesOf, OTHERWISE } from '@tracheon/core/routing';

/** What verdicts and names take from the records of a desk. */
export interface OfferGround {
  id: string;
  networkId: string;
  /** What it is said to pay: its fixed payout, or what counts when a postback tells none. null: nothing is said. */
  payout: { micros: bigint; currency: string } | null;
}
export interface SourceGround {
  id: string;
  /** Billed ÷ arrived × (1 + fee). */
  costFactor: number;
  currency: string;
  costUnit: SourceInput['costUnit'];
}

export interface NumbersGround {
  zone: string;
  /** In which answers are. */
  currency: string;
  /** The desk's own: conversions are booked in it. */
  deskCurrency: string;
  /** To `currency`. */
  rates: readonly Rate[];
  offers: readonly OfferGround[];
  sources: ReadonlyMap<string, SourceGround>;
  /** Sources that a campaign has or had, by campaign; only for verdicts. */
  sourcesOfCampaigns: ReadonlyMap<string, readonly string[]>;
  rules: VerdictRules;
  /** Formulas of the desk's own figures, by ID; one that can't be read any more is left out. */
  ownFigures: ReadonlyMap<string, Formula>;
  eventTypes: ReadonlyMap<string, { asConversion: boolean; asRevenue: boolean }>;
  /** `campaignId`: of a branch or pairing, the campaign that it is of, where that is known. */
  nameOf: (grouping: Grouping, value: string, campaignId?: string) => string;
  /** Records of the grouping whose name has the text in it, whatever its case. */
  idsNamed: (grouping: Grouping, text: string) => string[];
}

interface PartRow {
  id: string;
  kind: string;
  name: string;
  /** Of the kinds that a report reckons with. */
  body: Record<string, never> | null;
}
interface DeskRow {
  zone: string;
  currency: string;
  rules: object;
}

/** null when there is no such desk. */
export async function loadGround(
  pool: Pool,
  deskId: string,
  forVerdicts: boolean,
): Promise<NumbersGround | null> {
  const [desks, parts, rates, own, sourcesOfCampaigns] = await Promise.all([
    pool.query<DeskRow>('SELECT zone, currency, verdict_rules AS rules FROM desks WHERE id = $1', [deskId]),
    pool.query<PartRow>(
      `SELECT id, kind, name, CASE WHEN kind IN ('offer', 'source', 'event-type', 'campaign') THEN body END AS body
       FROM parts WHERE desk_id = $1`,
      [deskId],
    ),
    loadRates(pool, deskId),
    pool.query<{ id: string; formula: string }>('SELECT id, formula FROM own_figures WHERE desk_id = $1', [
      deskId,
    ]),
    forVerdicts ? loadSourcesOfCampaigns(pool, deskId) : new Map<string, string[]>(),
  ]);
  const desk = desks.rows[0];
  if (!desk) return null;
  const bodies = <T>(kind: string) =>
    parts.rows.filter((p) => p.kind === kind).map((p) => ({ id: p.id, body: p.body as unknown as T }));
  const named = new Map(parts.rows.map((p) => [p.id, p.name]));
  return {
    zone: desk.zone,
    currency: desk.currency,
    deskCurrency: desk.currency,
    rules: verdictRules.parse(desk.rules),
    rates,
    ownFigures: new Map(
      own.rows.flatMap(({ id, formula }) => {
        const read = readFormula(formula);
        return read.ok ? [[id, read.formula] as const] : [];
      }),
    ),
    offers: bodies<OfferInput>('offer').map(({ id, body }) => offerGround(id, body)),
    sources: new Map(bodies<SourceInput>('source').map(({ id, body }) => [id, sourceGround(id, body)])),
    sourcesOfCampaigns,
    eventTypes: new Map(
      bodies<EventTypeInput>('event-type').map(({ id, body }) => [
        id,
        { asConversion: body.countsAsConversion, asRevenue: body.countsAsRevenue },
      ]),
    ),
    ...valueNames(named, bodies<CampaignInput>('campaign')),
  };
}

/** The same, for answers in another currency; empty: the desk's own. */
export const inCurrency = (ground: NumbersGround, currency: string): NumbersGround =>
  currency === '' || currency === ground.currency
    ? ground
    : { ...ground, currency, rates: ratesTo(currency, ground.deskCurrency, ground.rates) };

const offerGround = (id: string, { networkId, payoutMicros, currency }: OfferInput): OfferGround => ({
  id,
  networkId,
  payout: payoutMicros === '' ? null : { micros: BigInt(payoutMicros), currency },
});
const sourceGround = (id: string, s: SourceInput): SourceGround => ({
  id,
  costFactor: (Number(s.billedPerArrived) / 1e6) * (1 + Number(s.feePercent) / 1e8),
  currency: s.costCurrency,
  costUnit: s.costUnit,
});

async function loadSourcesOfCampaigns(pool: Pool, deskId: string): Promise<Map<string, string[]>> {
  const { rows } = await pool.query<{ id: string; sources: string[] }>(
    `SELECT v.part_id AS id, array_agg(DISTINCT v.body->>'sourceId') AS sources
     FROM part_versions v JOIN parts p ON p.id = v.part_id AND p.kind = 'campaign'
     WHERE v.desk_id = $1 GROUP BY v.part_id`,
    [deskId],
  );
  return new Map(rows.map(({ id, sources }) => [id, sources]));
}

async function loadRates(pool: Pool, deskId: string): Promise<Rate[]> {
  const { rows } = await pool.query<{ base: string; day: string; nanos: string }>(
    'SELECT base, day::text AS day, nanos FROM rates WHERE desk_id = $1',
    [deskId],
  );
  return rows.map((r) => ({ base: r.base, day: r.day, nanos: BigInt(r.nanos) }));
}

/** Names of branches and pairings. Those that every campaign has are called by what they are. */
function routingNames(
  campaigns: readonly { body: CampaignInput }[],
  named: ReadonlyMap<string, string>,
): Map<string, string> {
  const all = new Map<string, string>([[OTHERWISE, 'Otherwise']]);
  for (const { body } of campaigns)
    for (const branch of branchesOf(body)) {
      if (branch.id !== OTHERWISE) all.set(branch.id, branch.name);
      for (const { id, landingPageId, offerIds } of branch.pairings) {
        const words = [landingPageId, ...offerIds].flatMap((part) => named.get(part) ?? []).join(' → ');
        const before = all.get(id);
        all.set(id, before === undefined || before === words ? words : 'Only pairing');
      }
    }
  return all;
}

const countryNames = new Intl.DisplayNames(['en'], { type: 'region', fallback: 'none' });
function countryName(code: string): string {
  try {
    return countryNames.of(code) ?? code;
  } catch {
    // A geo file of the operator's own may have anything there.
    return code;
  }
}

const letters = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
const countryCodes = letters
  .flatMap((a) => letters.map((b) => a + b))
  .filter((code) => countryName(code) !== code);

function valueNames(
  named: ReadonlyMap<string, string>,
  campaigns: readonly { id: string; body: CampaignInput }[],
): Pick<NumbersGround, 'nameOf' | 'idsNamed'> {
  const routing = routingNames(campaigns, named);
  const routingOf = new Map(campaigns.map((c) => [c.id, () => routingNames([c], named)]));
  const has = (name: string, text: string): boolean => name.toLowerCase().includes(text.toLowerCase());
  return {
    nameOf: (grouping, value, campaignId = '') => {
      if (grouping.kind !== 'column' || value === '') return value;
      const { dimension } = grouping;
      if (dimension.of === 'branch' || dimension.of === 'pairing')
        return (routingOf.get(campaignId)?.() ?? routing).get(value) ?? value;
      if (dimension.name === 'country') return countryName(value);
      return dimensionText(dimension, value, (id) => named.get(id) ?? '');
    },
    idsNamed: (grouping, text) => {
      if (grouping.kind !== 'column') return [];
      const { dimension } = grouping;
      if (dimension.name === 'country') return countryCodes.filter((code) => has(countryName(code), text));
      if (dimension.of === 'value') return [];
      const names = dimension.of === 'branch' || dimension.of === 'pairing' ? routing : named;
      return [...names].filter(([, name]) => has(name, text)).map(([id]) => id);
    },
  };
}
