/** The value of any figure of a row, by its name: of the registry, of an event type, or the desk's own. */
import type { EventSums, Figures } from '../contract/index.ts';
import { eventFigure, readEventFigure, readOwnFigure } from './eventFigures.ts';
import { evaluateFormula, figuresIn, figureUnit, type Formula } from './formula.ts';
import type { FigureName } from './registry.ts';

/** Formulas of the desk's own figures, by their IDs. */
export type OwnFormulas = ReadonlyMap<string, Formula>;
export interface FiguresOfRow {
  figures: Figures;
  events: readonly EventSums[];
}

/** Amounts in whole units of the currency; null: it is empty, or not known, or a figure that is gone. */
export function anyFigure(name: string, row: FiguresOfRow, own: OwnFormulas): number | null {
  const event = readEventFigure(name);
  if (event) return eventFigure(event, row);
  const ownId = readOwnFigure(name);
  if (ownId === null) return plainValue(name as FigureName, row);
  const formula = own.get(ownId);
  return formula ? evaluateFormula(formula, (figure) => plainValue(figure, row)) : null;
}
function plainValue(name: FigureName, { figures }: FiguresOfRow): number | null {
  const value = figures[name];
  if (value === undefined) throw new Error(`${name} was not asked for`);
  if (value === null) return null;
  return figureUnit(name) === 'money' ? Number(value) / 1e6 : Number(value);
}

/** Figures of the registry that the values of these are made of. */
export function figuresBehind(names: readonly string[], own: OwnFormulas): Set<FigureName> {
  // Of event types, rates and costs are made of these.
  const behind = new Set<FigureName>(['visits', 'spentMicros', 'profitMicros']);
  for (const name of names) {
    const ownId = readOwnFigure(name);
    const formula = ownId === null ? undefined : own.get(ownId);
    for (const figure of formula ? figuresIn(formula) : []) behind.add(figure);
    if (ownId === null && !readEventFigure(name)) behind.add(name as FigureName);
  }
  return behind;
}
