/** How the numbers process of this data folder stands, among the server's figures for operators. */
import { Gauge, type Registry } from 'prom-client';
import type { NumbersStanding } from './keptIndex.ts';

/** Figures are read together: they are of one moment. */
const SAME_MOMENT_MS = 500;

type Figure = readonly [name: string, help: string, value: (standing: NumbersStanding) => number];
const figures: readonly Figure[] = [
  ['ready', '1 while reports can be asked, 0 while the index is being built.', (s) => Number(s.isReady)],
  ['lag_seconds', 'Seconds since the numbers took in what was new.', (s) => (s.lagMs ?? Number.NaN) / 1000],
  ['resident_memory_bytes', 'Memory of the numbers process.', (s) => s.residentBytes],
  ['cpu_seconds', 'Processor time of the numbers process since its start.', (s) => s.cpuSeconds],
  ['index_bytes', 'Size of the index file.', (s) => s.indexBytes],
  ['answered', 'Questions answered since its start.', (s) => s.answered],
  [
    'stopped',
    'Questions stopped since its start: they ran too long, or nobody waited any more.',
    (s) => s.stopped,
  ],
];

export function numbersMetrics(registry: Registry, standing: () => Promise<NumbersStanding | null>): void {
  let last: { at: number; of: Promise<NumbersStanding | null> } | null = null;
  const now = (): Promise<NumbersStanding | null> => {
    if (!last || performance.now() - last.at > SAME_MOMENT_MS)
      last = { at: performance.now(), of: standing() };
    return last.of;
  };
  const gauge = (name: string, help: string, value: (standing: NumbersStanding | null) => number): void => {
    new Gauge({
      name: `tracheon_numbers_${name}`,
      help,
      registers: [registry],
      async collect() {
        this.set(value(await now()));
      },
    });
  };
  gauge('up', '1 while a numbers process answers.', (s) => Number(s !== null));
  for (const [name, help, value] of figures) gauge(name, help, (s) => (s ? value(s) : Number.NaN));
}
