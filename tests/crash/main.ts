/** Command line of the crash run; see crash.ts. PostgreSQL comes from scripts/crash.mjs. */
import { freshDatabase } from '../integration/freshDatabase.ts';
import {
  faultPlot,
  longPlot,
  runCrash,
  shortPlot,
  type CrashReport,
  type Outage,
  type Plot,
} from './crash.ts';

export interface Bound {
  name: string;
  ok: boolean;
}

/** What the run must show. */
export function bounds(r: CrashReport, plot: Plot): Bound[] {
  if (plot.fault)
    return [
      { name: `a server that answers before it commits is found out: lost ${r.lost} > 0`, ok: r.lost > 0 },
    ];
  const least =
    plot === longPlot
      ? { kills: 20, killsDuringLoad: 5, acknowledged: 20_000, spooled: 1000, retriedUnknown: 50 }
      : { kills: 8, killsDuringLoad: 2, acknowledged: 200, spooled: 50, retriedUnknown: 3 };
  return [
    ...Object.entries(least).map(([name, min]) => {
      const value = r[name as keyof typeof least];
      return { name: `${name} ${value} ≥ ${min}`, ok: value >= min };
    }),
    { name: `startsWithoutDatabase ${r.startsWithoutDatabase} ≥ 1`, ok: r.startsWithoutDatabase >= 1 },
    ...(['lost', 'duplicated', 'differing'] as const).map((name) => ({
      name: `${name} ${r[name]} = 0`,
      ok: r[name] === 0,
    })),
  ];
}

/** A server of its own is stopped and started by whoever started us; a given one is cut off instead. */
async function openPostgres(url: string): Promise<Outage> {
  if (process.send) {
    const ask = (what: 'stop' | 'start'): Promise<void> =>
      new Promise((resolve) => {
        process.once('message', () => resolve());
        process.send!(what);
      });
    return { url, stop: () => ask('stop'), start: () => ask('start') };
  }
  process.env.TRACHEON_TEST_SERVER = url;
  const database = await freshDatabase({ migrated: false });
  const { relay } = database;
  return { url: database.url, stop: () => relay.cut(), start: () => relay.open(), drop: database.drop };
}

const has = (flag: string): boolean => process.argv.includes(flag);
const plot = has('--fault') ? faultPlot : has('--short') ? shortPlot : longPlot;
const say = (words: string): void => void (has('--json') || process.stderr.write(`${words}\n`));
const postgres = await openPostgres(process.env.DATABASE_URL!);
const report = await runCrash(postgres, plot, say);
await postgres.drop?.();
const all = bounds(report, plot);
if (has('--json')) process.stdout.write(`${JSON.stringify({ ...report, bounds: all })}\n`);
else {
  process.stdout.write(`${JSON.stringify(report, null, 2)}\n`);
  for (const b of all) process.stdout.write(`${b.ok ? 'met' : 'NOT MET'}  ${b.name}\n`);
}
process.exit(all.every((b) => b.ok) ? 0 : 1);
