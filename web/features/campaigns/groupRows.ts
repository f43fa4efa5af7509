/** Campaigns of a list in groups: a row with the sums of each group, and its campaigns below it. */
import type { Figures, PartRecord, VerdictAnswer } from '@tracheon/core/contract';
import { addFigures } from '@tracheon/core/metrics';
import { sorted } from '../../ui/tableColumns.ts';

export interface CampaignRow {
  /** Of the campaign; several rows where it is in several groups. */
  id: string;
  part: PartRecord<'campaign'>;
  figures: Figures | null;
  verdict: VerdictAnswer | null;
  /** Profit of each of the last days. */
  trend: (string | null)[];
}
export interface ListedRow {
  key: string;
  kind: 'group' | 'campaign';
  name: string;
  /** Campaigns of a group; 1 for a campaign. */
  count: number;
  isGrouped: boolean;
  part: PartRecord<'campaign'> | null;
  figures: Figures | null;
  verdict: VerdictAnswer | null;
  trend: (string | null)[];
}

/** Groups that a campaign is in, by name; none: it stands under `rest`. */
export type GroupsOf = (campaign: PartRecord<'campaign'>) => readonly string[];
export interface Order {
  /** By what rows are compared; groups by the same of theirs. */
  value: (row: ListedRow) => string | number | bigint;
  isDescending: boolean;
}

const listed = (row: CampaignRow, group: string | null): ListedRow => ({
  ...row,
  key: group === null ? row.id : `${group}\n${row.id}`,
  kind: 'campaign',
  name: row.part.body.name,
  count: 1,
  isGrouped: group !== null,
});

export const ungrouped = (rows: readonly CampaignRow[]): ListedRow[] => rows.map((r) => listed(r, null));

export function groupRows(
  rows: readonly CampaignRow[],
  groupsOf: GroupsOf,
  rest: string,
  order: Order,
  closed: ReadonlySet<string>,
): ListedRow[] {
  const groups = new Map<string, CampaignRow[]>();
  for (const row of rows) {
    const names = groupsOf(row.part);
    for (const name of names.length === 0 ? [rest] : names)
      groups.set(name, [...(groups.get(name) ?? []), row]);
  }
  const heads = [...groups].map(([name, of]) => headOf(name, of));
  return sortedBy(heads, order).flatMap((head) => {
    const of = groups.get(head.name)!.map((row) => listed(row, head.name));
    return closed.has(head.key) ? [head] : [head, ...sortedBy(of, order)];
  });
}

function headOf(name: string, of: readonly CampaignRow[]): ListedRow {
  const known = of.flatMap((r) => r.figures ?? []);
  return {
    key: `group\n${name}`,
    kind: 'group',
    name,
    count: of.length,
    isGrouped: false,
    part: null,
    figures: known.length === 0 ? null : addFigures(known),
    verdict: null,
    trend: [],
  };
}

const sortedBy = (rows: readonly ListedRow[], { value, isDescending }: Order): ListedRow[] =>
  sorted(rows, value, isDescending);

/** Campaigns that are chosen by their own row or by that of a group, each once. */
export function chosenParts(
  rows: readonly CampaignRow[],
  groupsOf: GroupsOf | null,
  rest: string,
  keys: readonly string[],
): PartRecord<'campaign'>[] {
  const chosen = new Set(keys);
  return rows
    .filter(({ id, part }) => {
      if (chosen.has(id)) return true;
      if (!groupsOf) return false;
      const names = groupsOf(part);
      return (names.length === 0 ? [rest] : names).some(
        (name) => chosen.has(`${name}\n${id}`) || chosen.has(`group\n${name}`),
      );
    })
    .map((r) => r.part);
}
