/** Whether a row of figures meets the conditions of a watch, and what it was looked at by. */
import {
  CHANCE,
  type EventSums,
  type Figures,
  type SeenFigure,
  type VerdictAnswer,
  type WatchCondition,
  type WatchGroup,
  type WatchInput,
} from '../contract/index.ts';
import { eventFigure, figureUnit, readEventFigure, type FigureName } from '../metrics/index.ts';

export interface WatchedRow {
  figures: Figures;
  events: readonly EventSums[];
  verdict: Pick<VerdictAnswer, 'chance' | 'spentPayouts' | 'payoutMicros'> | null;
}

/** Amounts in units of the desk's currency; null: it is empty, or not known. */
export function watchedValue(figure: string, row: WatchedRow): number | null {
  if (figure === CHANCE) return row.verdict?.chance ?? null;
  const event = readEventFigure(figure);
  if (event) return eventFigure(event, row);
  const value = row.figures[figure as FigureName];
  if (value === null) return null;
  return figureUnit(figure as FigureName) === 'money' ? Number(value) / 1e6 : Number(value);
}

/** In the unit of the condition: an amount in payouts, or as a share of the total. */
function compared({ figure, unit }: WatchCondition, row: WatchedRow, total: WatchedRow): number | null {
  const value = watchedValue(figure, row);
  if (value === null || unit === 'own') return value;
  const by = unit === 'payouts' ? Number(row.verdict?.payoutMicros ?? 0) / 1e6 : watchedValue(figure, total);
  return by === null || by === 0 ? null : value / by;
}

function meetsOne(condition: WatchCondition, row: WatchedRow, total: WatchedRow): boolean {
  const value = compared(condition, row, total);
  if (value === null) return false;
  const { than } = condition;
  switch (condition.is) {
    case '<':
      return value < than;
    case '<=':
      return value <= than;
    case '=':
      return value === than;
    case '>=':
      return value >= than;
    case '>':
      return value > than;
  }
}

type Rule = Pick<WatchInput, 'match' | 'conditions' | 'isGuarded'>;
const isGroup = (c: WatchCondition | WatchGroup): c is WatchGroup => 'conditions' in c;
export const conditionsOf = ({ conditions }: Pick<WatchInput, 'conditions'>): WatchCondition[] =>
  conditions.flatMap((c) => (isGroup(c) ? c.conditions : [c]));

/**
 * An empty figure meets no condition. A watch that is guarded finds nothing in a row that has not cost one payout yet: what
 * it says may be chance.
 */
export function meets(rule: Rule, row: WatchedRow, total: WatchedRow): boolean {
  if (rule.isGuarded && !((row.verdict?.spentPayouts ?? 0) >= 1)) return false;
  const holds = (c: WatchCondition | WatchGroup): boolean => (isGroup(c) ? met(c) : meetsOne(c, row, total));
  const met = ({ match, conditions }: WatchGroup | Rule): boolean =>
    match === 'all' ? conditions.every(holds) : conditions.some(holds);
  return met(rule);
}

/** What it cost comes first, whether it is a condition or not. */
export function seenOf(rule: Pick<WatchInput, 'conditions'>, row: WatchedRow): SeenFigure[] {
  const names = new Set(['spentMicros', ...conditionsOf(rule).map((c) => c.figure)]);
  return [...names].map((figure) => ({ figure, value: watchedValue(figure, row) }));
}
