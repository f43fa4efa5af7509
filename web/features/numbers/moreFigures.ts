/** Figures beside those of the registry: of each event type, and the desk's own by formulas. One list for columns and files. */
import type { EventSums, Figures, OwnFigure } from '@tracheon/core/contract';
import {
  evaluateFormula,
  eventFigure,
  eventFigureKinds,
  eventFigureName,
  figureUnit,
  ownFigureName,
  readFormula,
  type EventFigureKind,
  type FigureName,
} from '@tracheon/core/metrics';
import { money, percent } from '../../ui/format.ts';

export interface Measured {
  figures: Figures;
  events: readonly EventSums[];
}
export interface MoreFigure {
  /** As the API sorts by it. */
  name: string;
  label: string;
  meaning: string;
  /** Shown without being asked for. */
  isOwn: boolean;
  unit: 'money' | 'percent' | 'number';
  valueOf: (of: Measured) => number | null;
}

const eventLabels: Record<EventFigureKind, (name: string) => [label: string, meaning: string]> = {
  count: (name) => [name, `Pending and approved conversions of the event type ${name}`],
  revenue: (name) => [`${name}: revenue`, `Expected revenue of ${name}`],
  rate: (name) => [`${name}: rate`, `${name} ÷ visits`],
  cost: (name) => [`${name}: cost per`, `Spent ÷ ${name}`],
  margin: (name) => [`${name}: margin`, `Expected revenue of ${name} minus partner payouts`],
};
const eventUnits: Record<EventFigureKind, MoreFigure['unit']> = {
  count: 'number',
  revenue: 'money',
  rate: 'percent',
  cost: 'money',
  margin: 'money',
};

/** Amounts of figures are micro-units; formulas have whole units. */
function inUnits(figures: Figures, name: FigureName): number | null {
  const value = figures[name];
  if (value === null) return null;
  return figureUnit(name) === 'money' ? Number(value) / 1e6 : Number(value);
}

export function moreFigures(
  eventTypes: readonly { id: string; name: string }[],
  own: readonly OwnFigure[],
): MoreFigure[] {
  const ofEvents = eventTypes.flatMap(({ id, name }) =>
    eventFigureKinds.map((kind): MoreFigure => {
      const [label, meaning] = eventLabels[kind](name);
      const of = { eventTypeId: id, kind };
      return {
        name: eventFigureName(of),
        label,
        meaning,
        isOwn: false,
        unit: eventUnits[kind],
        valueOf: (measured) => eventFigure(of, measured),
      };
    }),
  );
  const ofDesk = own.flatMap((figure): MoreFigure[] => {
    const read = readFormula(figure.formula);
    if (!read.ok) return [];
    const { formula } = read;
    return [
      {
        name: ownFigureName(figure.id),
        label: figure.name,
        meaning: figure.formula,
        isOwn: true,
        unit: read.unit === 'money' ? 'money' : figure.format,
        valueOf: ({ figures }) => evaluateFormula(formula, (name) => inUnits(figures, name)),
      },
    ];
  });
  return [...ofDesk, ...ofEvents];
}

const DIGITS = 2;
const plainNumber = new Intl.NumberFormat('en', { maximumFractionDigits: DIGITS, useGrouping: false });
export function moreText({ unit, valueOf }: MoreFigure, of: Measured): string {
  const value = valueOf(of);
  if (value === null) return '–';
  if (unit === 'money') return money(String(Math.round(value * 1e6)), DIGITS);
  if (unit === 'percent') return percent(value, DIGITS);
  return plainNumber.format(value).replace('-', '\u2212');
}
/** As files have it: a decimal point, shares as 0.02 for 2 %, nothing where it is empty. */
export function morePlain({ valueOf }: MoreFigure, of: Measured): string {
  const value = valueOf(of);
  return value === null ? '' : String(Math.round(value * 1e6) / 1e6);
}
