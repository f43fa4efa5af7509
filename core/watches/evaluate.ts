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
import {
  anyFigure,
  approvalRates,
  figures,
  figuresBehind,
  noVisits,
  type FigureName,
  type OwnFormulas,
} from '../metrics/index.ts';

export interface WatchedRow {
  figures: Figures;
  events: readonly EventSums[];
  verdict: Pick<VerdictAnswer, 'chance' | 'spentPayouts' | 'payoutMicros'> | null;
  /** The same hours of each day before; empty unless a condition asks for them. */
  past?: readonly Pick<WatchedRow, 'figures' | 'events'>[];
}
const none: OwnFormulas = new Map();

/** What nothing happened to. */
export const emptyRow = (): WatchedRow => ({
  figures: figures({ visits: noVisits, conversions: [], unconverted: [] }, approvalRates([])),
  events: [],
  verdict: null,
});

/** Amounts in units of the desk's currency; null: it is empty, or not known. */
export function watchedValue(figure: string, row: WatchedRow, own: OwnFormulas = none): number | null {
  if (figure === CHANCE) return row.verdict?.chance ?? null;
  return anyFigure(figure, row, own);
}

/** What its conditions look at, and what is written down of each row that meets them. */
export function figuresOfRule(
  rule: Pick<WatchInput, 'conditions'>,
  own: OwnFormulas = none,
): ReadonlySet<FigureName> {
  const names = conditionsOf(rule).map((c) => c.figure);
  return figuresBehind(
    names.filter((name) => name !== CHANCE),
    own,
  );
}

/** Mean of the days on which the figure is known; null where it never was. */
export function usualValue(
  figure: string,
  { past = [] }: WatchedRow,
  own: OwnFormulas = none,
): number | null {
  const known = past
    .map((p) => watchedValue(figure, { ...p, verdict: null }, own))
    .filter((v): v is number => v !== null);
  return known.length === 0 ? null : known.reduce((sum, v) => sum + v, 0) / known.length;
}

/** In the unit of the condition: an amount in payouts, or as a share of the total. */
function compared(
  { figure, unit }: WatchCondition,
  row: WatchedRow,
  total: WatchedRow,
  own: OwnFormulas,
): number | null {
  const value = watchedValue(figure, row, own);
  if (value === null || unit === 'own') return value;
  const by =
    unit === 'payouts'
      ? Number(row.verdict?.payoutMicros ?? 0) / 1e6
      : unit === 'usual'
        ? usualValue(figure, row, own)
        : watchedValue(figure, total, own);
  return by === null || by === 0 ? null : value / by;
}

function meetsOne(condition: WatchCondition, row: WatchedRow, total: WatchedRow, own: OwnFormulas): boolean {
  const value = compared(condition, row, total, own);
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
export function meets(rule: Rule, row: WatchedRow, total: WatchedRow, own: OwnFormulas = none): boolean {
  if (rule.isGuarded && !((row.verdict?.spentPayouts ?? 0) >= 1)) return false;
  return met(rule, row, total, own);
}

/** Asked for millions of rows at once: nothing is made for each of them. */
function met(
  { match, conditions }: WatchGroup | Rule,
  row: WatchedRow,
  total: WatchedRow,
  own: OwnFormulas,
): boolean {
  const isSettledBy = match !== 'all';
  for (const c of conditions)
    if ((isGroup(c) ? met(c, row, total, own) : meetsOne(c, row, total, own)) === isSettledBy)
      return isSettledBy;
  return !isSettledBy;
}

/** What it cost comes first, whether it is a condition or not. */
export function seenOf(
  rule: Pick<WatchInput, 'conditions'>,
  row: WatchedRow,
  own: OwnFormulas = none,
): SeenFigure[] {
  const conditions = conditionsOf(rule);
  const names = new Set(['spentMicros', ...conditions.map((c) => c.figure)]);
  return [...names].map((figure) => ({
    figure,
    value: watchedValue(figure, row, own),
    ...(conditions.some((c) => c.figure === figure && c.unit === 'usual')
      ? { usual: usualValue(figure, row, own) }
      : {}),
  }));
}

/** Whether a condition compares with the days before. */
export const looksBack = (rule: Pick<WatchInput, 'conditions'>): boolean =>
  conditionsOf(rule).some((c) => c.unit === 'usual');
