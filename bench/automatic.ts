/**
 * What an automatic split earns in simulated traffic, against an even split and against always sending everybody to the pairing
 * that is really best. Conversions come hours later, by the delay curve that the split goes by, so that it has to wait for them
 * as a real one does. Every visit counts by the true rate of its pairing: the luck of single conversions says nothing here.
 *   npm run bench:automatic -- --json [--svg=docs/decisions/0024-automatic-split.svg]
 * What would make it lie: rates that are known to the split (it sees conversions only), a lucky seed (the mean of 20 runs).
 */
import { writeFileSync } from 'node:fs';
import { seededRandom } from '@tracheon/core/chance';
import { delayCurves, DELAY_HOURS } from '@tracheon/core/metrics';
import { automaticOdds, drawWeighted, DRAWS, type Arm } from '@tracheon/core/routing';

const RUNS = 20;
const DAYS = 30;
const VISITS_AN_HOUR = 40;
/** Twice a day is enough here: hourly odds give the same figures and take twelve times as long. */
const ODDS_EVERY_HOURS = 12;
const PAYOUT = 10;

const scenarios = {
  'clear winner': [0.03, 0.018, 0.015],
  'close call': [0.03, 0.028],
  'all alike': [0.02, 0.02, 0.02],
  'one of ten': [0.03, ...Array<number>(9).fill(0.018)],
};

interface Run {
  /** Share of what the best pairing alone would have earned, by day. */
  byDay: number[];
  total: number;
  /** Share of visitors on the best pairing on the last day. */
  found: number;
}

const curve = delayCurves([])('', '');
/** Hours after the visit at which a conversion comes, drawn from the curve. */
function delay(random: () => number): number {
  const u = random();
  let hours = 1;
  while (hours < DELAY_HOURS && curve(hours) < u) hours++;
  return hours;
}

function run(rates: readonly number[], seed: number): Run {
  const random = seededRandom(seed);
  const best = Math.max(...rates);
  const arms = rates.map((rate, i) => ({
    pairingId: `p${i}`,
    rate,
    visits: Array<number>(DAYS * 24).fill(0),
    due: Array<number>(DAYS * 24 + DELAY_HOURS + 1).fill(0),
    conversions: 0,
  }));
  let odds = rates.map(() => 1 / rates.length);
  const byDay: number[] = [];
  let [earned, onBest, day, dayEarned] = [0, 0, 0, 0];
  for (let hour = 0; hour < DAYS * 24; hour++) {
    for (const arm of arms) arm.conversions += arm.due[hour]!;
    if (hour % ODDS_EVERY_HOURS === 0) {
      const known = arms.map(({ pairingId, visits, conversions }): Arm => ({
        pairingId,
        visits: visits.slice(0, hour).reduce((sum, n, h) => sum + n * curve(hour - h - 0.5), 0),
        conversions,
        expectedMicros: conversions * PAYOUT * 1_000_000,
      }));
      odds = automaticOdds(known, seed + hour, 1000).arms.map((a) => a.odds);
    }
    for (let v = 0; v < VISITS_AN_HOUR; v++) {
      const arm = arms[drawWeighted(odds, random())]!;
      arm.visits[hour]!++;
      dayEarned += arm.rate;
      if (hour >= (DAYS - 1) * 24 && arm.rate === best) onBest++;
      if (random() < arm.rate) arm.due[hour + delay(random)]!++;
    }
    if (Math.floor((hour + 1) / 24) > day) {
      earned += dayEarned;
      byDay.push(dayEarned / (24 * VISITS_AN_HOUR * best));
      [day, dayEarned] = [day + 1, 0];
    }
  }
  return {
    byDay,
    total: earned / (DAYS * 24 * VISITS_AN_HOUR * best),
    found: onBest / (24 * VISITS_AN_HOUR),
  };
}

const mean = (list: readonly number[]): number => list.reduce((a, b) => a + b, 0) / list.length;
const round = (n: number): number => Math.round(n * 1000) / 1000;

const results = Object.entries(scenarios).map(([name, rates]) => {
  const runs = Array.from({ length: RUNS }, (_, n) => run(rates, n + 1));
  return {
    name,
    pairings: rates.length,
    even: round(mean(rates) / Math.max(...rates)),
    automatic: round(mean(runs.map((r) => r.total))),
    worstRun: round(Math.min(...runs.map((r) => r.total))),
    onBestLastDay: round(mean(runs.map((r) => r.found))),
    byDay: Array.from({ length: DAYS }, (_, d) => round(mean(runs.map((r) => r.byDay[d]!)))),
  };
});

function costOfOdds(pairings: number): number {
  const arms = Array.from({ length: pairings }, (_, i) => ({
    pairingId: `p${i}`,
    visits: 1000 + i,
    conversions: 20 + (i % 7),
    expectedMicros: 200_000_000,
  }));
  automaticOdds(arms, 1);
  const began = process.cpuUsage();
  for (let n = 0; n < 20; n++) automaticOdds(arms, n, DRAWS);
  const { user } = process.cpuUsage(began);
  return round(user / 1000 / 20);
}
const cpuMs = Object.fromEntries([2, 5, 20, 50].map((n) => [n, costOfOdds(n)]));

const svg = process.argv.find((a) => a.startsWith('--svg='))?.slice('--svg='.length);
if (svg) await drawChart(svg);
const told = { runs: RUNS, days: DAYS, visits: DAYS * 24 * VISITS_AN_HOUR, cpuMsOfTenThousandDraws: cpuMs };
if (process.argv.includes('--json'))
  console.log(JSON.stringify({ ...told, scenarios: results.map(({ byDay: _, ...r }) => r) }));
else
  for (const r of results)
    console.log(
      `${r.name}: automatic ${(100 * r.automatic).toFixed(1)} % of the best, even ${(100 * r.even).toFixed(1)} %`,
    );

async function drawChart(path: string): Promise<void> {
  const { init } = await import('echarts');
  const chart = init(null, null, { renderer: 'svg', ssr: true, width: 720, height: 340 });
  chart.setOption({
    animation: false,
    title: { text: 'Revenue of an automatic split, as a share of what the best pairing alone earns' },
    textStyle: { fontFamily: 'sans-serif' },
    legend: { bottom: 0 },
    grid: { top: 50, left: 50, right: 20, bottom: 70 },
    xAxis: { type: 'category', name: 'day', data: results[0]!.byDay.map((_, d) => d + 1) },
    yAxis: { type: 'value', min: 0.5, max: 1 },
    series: results.map((r) => ({ name: r.name, type: 'line', showSymbol: false, data: r.byDay })),
  });
  writeFileSync(path, chart.renderToSVGString());
  chart.dispose();
}
