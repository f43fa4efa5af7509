/** Charts of figures: what stands on which axis, as ECharts takes it, and the same in words. */
import { figureDefinitions, type FigureDefinition, type FigureName } from '@tracheon/core/metrics';
import type { Figures } from '@tracheon/core/contract';

/** A figure as a number to draw: amounts in units, shares in percent; null where it is empty. */
export function drawnFigure(name: FigureName, figures: Figures | undefined): number | null {
  const value = figures?.[name] ?? null;
  if (value === null) return null;
  const { unit }: FigureDefinition = figureDefinitions[name];
  if (unit === 'money' || unit === 'each') return Math.round(Number(value) / 100) / 10_000;
  return unit === 'share' || unit === 'return' ? Math.round(Number(value) * 1e6) / 1e4 : Number(value);
}
export function drawnUnit(name: FigureName, currency: string): string {
  const { unit }: FigureDefinition = figureDefinitions[name];
  if (unit === 'money' || unit === 'each') return currency;
  return unit === 'share' || unit === 'return' ? '%' : '';
}
/** Of a stack, only what adds up. */
export const canStack = (name: FigureName): boolean => {
  const { unit }: FigureDefinition = figureDefinitions[name];
  return unit === 'count' || unit === 'money';
};

export interface Series {
  name: string;
  /** One for each place of the axis. */
  values: (number | null)[];
}
export interface Looks {
  ink: string;
  quiet: string;
  hairline: string;
  sheet: string;
  gain: string;
  loss: string;
  /** Of series, told apart by their dashes too. */
  colours: readonly string[];
}
const DASHES = ['solid', 'dashed', 'dotted'] as const;
const font = { fontFamily: 'Public Sans Variable', fontSize: 11 };
/** ECharts writes a hyphen for a minus. */
const numberText = (value: string | number): string => String(value).replace('-', '\u2212');

const frame = (looks: Looks) => ({
  animation: false,
  textStyle: { ...font, color: looks.ink },
  tooltip: {
    renderMode: 'richText',
    backgroundColor: looks.sheet,
    borderColor: looks.quiet,
    textStyle: { ...font, color: looks.ink },
  },
});
const axisOf = (looks: Looks) => ({
  axisLabel: { ...font, color: looks.quiet, formatter: numberText },
  axisLine: { lineStyle: { color: looks.hairline } },
  axisTick: { show: false },
});

export function linesOption(
  given: { places: string[]; series: Series[]; isStacked: boolean; unit: string },
  looks: Looks,
) {
  return {
    ...frame(looks),
    tooltip: { ...frame(looks).tooltip, trigger: 'axis' },
    legend: {
      top: 0,
      left: 0,
      textStyle: { ...font, color: looks.ink },
      itemWidth: 22,
      icon: 'path://M0,4L22,4L22,6L0,6Z',
    },
    grid: { left: 60, right: 16, top: 52, bottom: 24 },
    xAxis: { type: 'category', data: given.places, ...axisOf(looks) },
    yAxis: {
      type: 'value',
      name: given.unit,
      nameTextStyle: { ...font, color: looks.quiet },
      ...axisOf(looks),
      splitLine: { lineStyle: { color: looks.hairline } },
    },
    series: given.series.map((s, i) => ({
      type: given.isStacked ? 'bar' : 'line',
      name: s.name,
      data: s.values,
      ...(given.isStacked ? { stack: 'all', barMaxWidth: 30 } : { showSymbol: given.places.length < 3 }),
      lineStyle: { width: 1.6, type: DASHES[Math.floor(i / looks.colours.length) % DASHES.length] },
      itemStyle: { color: looks.colours[i % looks.colours.length] },
    })),
  };
}

const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const HOURS = Array.from({ length: 24 }, (_, hour) => String(hour).padStart(2, '0'));

/** `cells`: by weekday (1 is Monday) and hour. Colours run from loss to gain where the figure has both sides. */
export function heatOption(cells: ReadonlyMap<string, number | null>, unit: string, looks: Looks) {
  const data = WEEKDAYS.flatMap((_, day) =>
    HOURS.flatMap((hour, h) => {
      const value = cells.get(`${day + 1}|${hour}`) ?? null;
      return value === null ? [] : [[h, day, value]];
    }),
  );
  const values = data.map(([, , value]) => value!);
  const [least, most] = [Math.min(0, ...values), Math.max(0, ...values)];
  const end = Math.max(most, -least) || 1;
  return {
    ...frame(looks),
    tooltip: {
      ...frame(looks).tooltip,
      formatter: ({ value }: { value: [number, number, number] }) =>
        `${WEEKDAYS[value[1]]} ${HOURS[value[0]]}:00\n${numberText(value[2])} ${unit}`,
    },
    grid: { left: 46, right: 16, top: 10, bottom: 64 },
    xAxis: { type: 'category', data: HOURS, ...axisOf(looks) },
    yAxis: { type: 'category', data: WEEKDAYS, inverse: true, ...axisOf(looks) },
    visualMap: {
      min: least < 0 ? -end : 0,
      max: end,
      calculable: false,
      orient: 'horizontal',
      left: 46,
      bottom: 0,
      itemHeight: 160,
      text: [
        `${numberText(Math.round(most * 100) / 100)} ${unit}`,
        numberText(Math.round(least * 100) / 100),
      ],
      textStyle: { ...font, color: looks.quiet },
      inRange: { color: least < 0 ? [looks.loss, looks.sheet, looks.gain] : [looks.sheet, looks.gain] },
    },
    series: [{ type: 'heatmap', data, itemStyle: { borderColor: looks.hairline, borderWidth: 1 } }],
  };
}

/** What a chart shows, for a reader who does not see it. */
export const inWords = (figure: FigureName, series: readonly Series[]): string =>
  series
    .map((s) => {
      const known = s.values.filter((v) => v !== null);
      if (known.length === 0) return `${s.name}: nothing`;
      return `${s.name}: ${figureDefinitions[figure].label} from ${Math.min(...known)} to ${Math.max(...known)}`;
    })
    .join('; ');
