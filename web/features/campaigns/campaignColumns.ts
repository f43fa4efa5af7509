/** Columns of the list of campaigns. */
import type { PartRecord } from '@tracheon/core/contract';
import type { FigureName } from '@tracheon/core/metrics';
import type { useParts } from '../../app/parts.ts';
import { figureColumns } from '../../ui/figureColumns.ts';
import { countryName } from '../../ui/format.ts';
import type { Column } from '../../ui/tableColumns.ts';
import type { ListedRow } from './groupRows.ts';

/** Days of the bars beside a campaign. */
export const TREND_DAYS = 14;

/** Figures whose cells are plain text; profit and money on hold have looks of their own. */
export const plain = [
  'roi',
  'spentMicros',
  'expectedMicros',
  'earnedMicros',
  'visits',
  'sentToOffer',
  'conversions',
  'cr',
  'paidPerVisitMicros',
  'earnedPerVisitMicros',
] as const satisfies FigureName[];
/** Columns of text, hidden until they are asked for. */
export const textColumns = ['source', 'country', 'tags', 'notes'] as const;

const columnsOf = (...names: FigureName[]) => figureColumns<ListedRow>(names, (r) => r.figures);
export const campaignColumns = (parts: ReturnType<typeof useParts>): Column<ListedRow>[] => [
  { key: 'name', label: 'Campaign', sort: (r) => r.name, fixed: true },
  {
    key: 'verdict',
    label: 'Verdict',
    explain: 'What to do, by visits that are old enough to have converted',
  },
  ...columnsOf('profitMicros'),
  { key: 'bar', label: '(profit bar)' },
  ...columnsOf(
    'roi',
    'spentMicros',
    'expectedMicros',
    'earnedMicros',
    'onHoldMicros',
    'visits',
    'sentToOffer',
    'conversions',
    'cr',
    'paidPerVisitMicros',
    'earnedPerVisitMicros',
  ),
  {
    key: 'trend',
    label: `${TREND_DAYS} days`,
    explain: `Profit of each of the ${TREND_DAYS} days up to the last one of the period`,
  },
  ...(
    [
      ['source', 'Source', (p) => parts.byId.get(p.body.sourceId)?.body.name ?? ''],
      ['country', 'Country', (p) => (p.body.country === '' ? '' : countryName(p.body.country))],
      ['tags', 'Tags', (p) => p.body.tags.join(', ')],
      ['notes', 'Notes', (p) => p.body.notes],
    ] as [string, string, (p: PartRecord<'campaign'>) => string][]
  ).map(([key, label, of]): Column<ListedRow> => ({
    key,
    label,
    optional: true,
    sort: (r) => (r.part ? of(r.part) : r.name),
    csv: (r) => (r.part ? of(r.part) : ''),
  })),
  { key: 'copy', label: '(copy the link)' },
];
