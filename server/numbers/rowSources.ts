/** The source of all visits of a row of an answer, in whose unit a bid for it is made. */
import type { Grouping } from '@tracheon/core/metrics';
import { columnOf, factsIn, keptPart, keyNames, type Gathering, type Stretch } from './gather.ts';
import { everSeen } from './onceWritten.ts';
import { rowsOf } from './sums.ts';

const SOURCE = 'source_id';
const CAMPAIGN = 'campaign_id';

/**
 * Whether visits are best gathered by their source as well: values of a record's kind are few, each of them of few sources, while
 * those of a sub-ID are many, and only those of the page are asked for afterwards.
 */
export async function isToldBySource(of: Omit<Gathering, 'isBySource'>): Promise<boolean> {
  if (valueOf(of, SOURCE) || valueOf(of, CAMPAIGN)) return false;
  return of.keys.every((key) => key.kind === 'column') && (await onlySource(of)) === null;
}

/** Of each of the rows; empty where its visits are of several. `makePage`: makes the table `page` of them, if it isn't there yet. */
export async function sourcesOfRows(
  of: Gathering,
  stretch: Stretch,
  rows: readonly (readonly string[])[],
  makePage: () => Promise<void> = () => Promise.resolve(),
): Promise<string[]> {
  const own = valueOf(of, SOURCE);
  if (own) return rows.map(own);
  const campaign = valueOf(of, CAMPAIGN);
  if (!campaign && of.isBySource) return askedOfGathered(of, rows.length);
  const only = await onlySource(of);
  if (only !== null) return rows.map(() => only);
  const told = rows.map((values) => campaign && of.ground.sourcesOfCampaigns.get(campaign(values)));
  // A campaign that had another source once may have visits of both; costs of no campaign are of any.
  const others = told.flatMap((sources, i) => (sources?.length === 1 ? [] : [i]));
  if (others.length > 0) await makePage();
  const asked = others.length === 0 ? [] : await askedOfVisits(of, stretch, rows.length, others);
  return told.map((sources, i) => (sources?.length === 1 ? sources[0]! : asked[i]!));
}

/** A row's value of the column: its own, or the one that the question is narrowed to; null where it may have several. */
function valueOf(
  { keys, under, only }: Pick<Gathering, 'keys' | 'under' | 'only'>,
  column: string,
): ((values: readonly string[]) => string) | null {
  const isIt = (g: Grouping): boolean => g.kind === 'column' && g.dimension.name === column;
  const at = keys.findIndex(isIt);
  if (at >= 0) return (values) => values[at]!;
  const filter = only.find((f) => isIt(f.grouping) && f.is === 'is' && f.values.length === 1);
  const one = under.find((u) => isIt(u.grouping))?.value ?? filter?.values[0];
  return one === undefined ? null : () => one;
}

/** Where the desk has visits of one source; null for several. */
async function onlySource({
  connection,
  tables,
}: Pick<Gathering, 'connection' | 'tables'>): Promise<string | null> {
  const sources = await everSeen(tables, 'sources', async () => {
    const found = await rowsOf<{ id: string }>(
      connection,
      `SELECT DISTINCT ${SOURCE} AS id FROM ${tables.visits} UNION SELECT DISTINCT ${SOURCE} FROM ${tables.extras}`,
    );
    return found.map(({ id }) => id);
  });
  return sources.size === 1 ? [...sources][0]! : null;
}

const askedOfGathered = (of: Gathering, count: number): Promise<string[]> =>
  oneSource(of, count, {
    source: 'g.source',
    from: `gv g JOIN page p ON ${keyNames(of)
      .map((k) => `p.${k} = g.${k}`)
      .join(' AND ')}`,
    where: 'p.nr >= 0',
    values: [],
  });

/** Of the rows with these numbers. */
async function askedOfVisits(
  of: Gathering,
  stretch: Stretch,
  count: number,
  numbers: readonly number[],
): Promise<string[]> {
  const among = numbers.length === count ? 'nr >= 0' : `nr IN (${numbers.join(', ')})`;
  const kept = await keptPart(of, stretch, (part) => sourcesByKeys(of, part));
  if (!kept) {
    const { from, where, values } = factsIn(of, stretch, 'visits');
    const on = keyNames(of).map((k, i) => `p.${k} = ${columnOf(of.tables, of.keys[i]!, 'visits')}`);
    const joined = `${from} JOIN (SELECT * FROM page WHERE ${among}) p ON ${on.join(' AND ')}`;
    return oneSource(of, count, { source: `v.${SOURCE}`, from: joined, where, values });
  }
  // All of them name the same values.
  const anew = kept.around.map((part) => sourcesByKeys(of, part));
  const all = [`SELECT * FROM ${kept.table}`, ...anew.map(({ sql }) => sql)].join(' UNION ALL ');
  const found = await rowsOf<{ nr: number; id: string }>(
    of.connection,
    `SELECT p.nr, any_value(g.id) AS id FROM (${all}) g
     JOIN page p ON ${keyNames(of)
       .map((k) => `p.${k} = g.${k}`)
       .join(' AND ')} WHERE ${among} GROUP BY p.nr HAVING min(g.least) = max(g.most)`,
    anew[0]?.values ?? [],
  );
  return byRow(count, found);
}

/** Of each combination of values one of its sources, and numbers that are the same where it has no other. */
function sourcesByKeys(of: Gathering, stretch: Stretch): { sql: string; values: string[] } {
  const { from, where, values } = factsIn(of, stretch, 'visits');
  const keys = of.keys.map((g, i) => `${columnOf(of.tables, g, 'visits')} AS k${i}`).join(', ');
  const numbered = `hash(v.${SOURCE})`;
  return {
    sql: `SELECT ${keys}, min(${numbered}) AS least, max(${numbered}) AS most, any_value(v.${SOURCE}) AS id
      FROM ${from} WHERE ${where} GROUP BY ${keyNames(of).join(', ')}`,
    values,
  };
}

async function oneSource(
  { connection }: Gathering,
  count: number,
  at: { source: string; from: string; where: string; values: string[] },
): Promise<string[]> {
  const found = await rowsOf<{ nr: number; id: string }>(
    connection,
    `SELECT p.nr, min(${at.source}) AS id FROM ${at.from} WHERE ${at.where}
     GROUP BY p.nr HAVING min(${at.source}) = max(${at.source})`,
    at.values,
  );
  return byRow(count, found);
}

function byRow(count: number, found: readonly { nr: number; id: string }[]): string[] {
  const sources = Array<string>(count).fill('');
  for (const { nr, id } of found) sources[nr] = id;
  return sources;
}
