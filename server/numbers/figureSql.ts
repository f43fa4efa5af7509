/** Figures as SQL over sums of gathered rows, for sorting and filtering: as core makes them. */
import {
  figureDefinitions,
  figureUnit,
  formulaSql,
  readEventFigure,
  readOwnFigure,
  type AmountSum,
  type CountSum,
  type EventFigure,
  type FigureDefinition,
  type FigureName,
  type RevenueBasis,
} from '@tracheon/core/metrics';
import type { Gathering } from './gather.ts';

function eventSql({ kind, eventTypeId }: EventFigure): string {
  const [count, revenue] = [sum(`count ${eventTypeId}`), sum(`revenue ${eventTypeId}`)];
  if (kind === 'count') return `${count}::DOUBLE`;
  if (kind === 'revenue') return `${revenue}::DOUBLE`;
  if (kind === 'margin') return `(${revenue} - ${sum(`partner ${eventTypeId}`)})::DOUBLE`;
  return kind === 'rate'
    ? `${count}::DOUBLE / nullif(${sum('visits')}, 0)`
    : `CASE WHEN ${isCostUnknown} THEN NULL ELSE ${spent}::DOUBLE / nullif(${count}, 0) END`;
}
/** Of the registry, of an event type, or the desk's own; one that is gone sorts nothing. */
export function anyFigureSql({ ground, basis }: Gathering, name: string): string {
  const event = readEventFigure(name);
  if (event) return eventSql(event);
  const own = readOwnFigure(name);
  if (own === null) return figureSql(figureDefinitions[name as FigureName], basis);
  const formula = ground.ownFigures.get(own);
  return formula ? formulaSql(formula, (figure) => inUnits(figure, basis)) : 'NULL::DOUBLE';
}
function inUnits(name: FigureName, basis: RevenueBasis): string {
  const figure = figureSql(figureDefinitions[name], basis);
  return figureUnit(name) === 'money' ? `${figure} / 1e6` : figure;
}

const sum = (name: string): string => `coalesce("${name}", 0)`;
const isCostUnknown = `(${sum('visits')} > 0 AND ${sum('withoutCost')} = ${sum('visits')} AND ${sum('partner')} = 0)`;
const spent = `(${sum('spent')} + ${sum('partner')})`;
const expected = `(${sum('earned')} + ${sum('held')})`;
const revenueSql: Record<RevenueBasis, string> = {
  expected,
  earned: sum('earned'),
  all: `(${sum('earned')} + ${sum('onHold')})`,
};
/** Sums that are made of others. */
const made = (revenue: string): Partial<Record<CountSum | AmountSum, string>> => ({
  withCost: `(${sum('visits')} - ${sum('withoutCost')})`,
  expected,
  revenue,
  spent,
  margin: `(${revenue} - ${sum('partner')})`,
  modelCost: `(${sum('spent')} - ${sum('linkCost')} - ${sum('feedCost')} - ${sum('fileCost')})`,
  profit: `(CASE WHEN ${isCostUnknown} THEN NULL ELSE ${revenue} - ${spent} END)`,
  knownRevenue: `(CASE WHEN ${isCostUnknown} THEN 0 ELSE ${revenue} END)`,
  knownSpent: `(CASE WHEN ${isCostUnknown} THEN 0 ELSE ${spent} END)`,
});
/** As core makes it, for sorting. */
function figureSql(figure: FigureDefinition, basis: RevenueBasis): string {
  const sums = made(revenueSql[basis]);
  const sumSql = (name: CountSum | AmountSum): string => sums[name] ?? sum(name);
  const of = sumSql(figure.of);
  if (figure.unit === 'count' || figure.unit === 'money') return `${of}::DOUBLE`;
  const per = figure.unit === 'each' ? (figure.per ?? 1) : 1;
  return `${of}::DOUBLE * ${per} / nullif(${sumSql(figure.by)}, 0)`;
}
