/**
 * Figures for operators, in Prometheus' text format. One registry a server, since tests run several in one process.
 * `docs/operations.md` says what each means and when to worry.
 */
import { collectDefaultMetrics, Counter, Gauge, Registry } from 'prom-client';
import { Durations } from './durations.ts';
import { rowKinds, type Health, type RowFate, type RowKind } from './health.ts';

/** Seconds: what a visitor feels begins at a tenth of the patience with the database. */
const BUCKETS = [0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.16, 0.25, 0.5, 1];

export interface Watched {
  health: Health;
  snapshotVersion: () => number;
  campaigns: () => number;
  brokenCampaigns: () => number;
  /** Rows handed to the writers and not yet settled. */
  rowsInHand: () => number;
  spoolFiles: () => Promise<number>;
  openStreams: () => number;
  agentCache: { hits: number; misses: number };
  /** Adds figures of other processes. */
  addOthers: (registry: Registry) => void;
}

export interface Metrics {
  contentType: string;
  /** All figures in the text format. */
  text: () => Promise<string>;
  /** Observes how long an answer took, in seconds. */
  took: (kind: RowKind, seconds: number) => void;
  postbackOut: (delivered: boolean) => void;
}

type Took = Record<RowKind, Durations>;

export function makeMetrics(w: Watched): Metrics {
  const registry = new Registry();
  const registers = [registry];
  collectDefaultMetrics({ register: registry, prefix: 'tracheon_' });
  const took = Object.fromEntries(rowKinds.map((kind) => [kind, new Durations(BUCKETS)])) as Took;
  const postbacksOut = new Counter({
    name: 'tracheon_calls_out_total',
    help: 'Attempts to tell a source, by result.',
    labelNames: ['result'],
    registers,
  });
  rowsTotal(registers, w.health);
  for (const what of ['hits', 'misses'] as const)
    new Counter({
      name: `tracheon_agent_cache_${what}_total`,
      help: `User agents that were ${what === 'hits' ? 'known already' : 'parsed'}.`,
      registers,
      collect() {
        this.reset();
        this.inc(w.agentCache[what]);
      },
    });
  const gauge = (name: string, help: string, value: () => number | Promise<number>): void => {
    new Gauge({
      name: `tracheon_${name}`,
      help,
      registers,
      async collect() {
        this.set(await value());
      },
    });
  };
  gauge('database_up', '1 while the database answers.', () => Number(w.health.news.database === 'up'));
  gauge('spool_writable', '0 after the spool could not be written.', () =>
    Number(w.health.news.disk === 'up'),
  );
  gauge('spool_files', 'Files in the spool folder that wait to be loaded, torn ones included.', w.spoolFiles);
  gauge('rows_in_hand', 'Rows handed to the writers and not settled yet.', w.rowsInHand);
  gauge('snapshot_version', 'Number of the configuration that visits are answered from.', w.snapshotVersion);
  gauge('campaigns', 'Campaigns in the snapshot.', w.campaigns);
  gauge('broken_campaigns', 'Campaigns on their last good version.', w.brokenCampaigns);
  gauge('open_streams', 'Browsers that listen for news.', w.openStreams);
  w.addOthers(registry);
  return {
    contentType: registry.contentType,
    text: async () => (await registry.metrics()) + answerLines(took),
    took: (kind, seconds) => took[kind].observe(seconds),
    postbackOut: (delivered) => postbacksOut.labels(delivered ? 'delivered' : 'failed').inc(),
  };
}

function answerLines(took: Took): string {
  const name = 'tracheon_answer_seconds';
  return [
    `# HELP ${name} Time from a read request to its answer, by kind.`,
    `# TYPE ${name} histogram`,
    ...rowKinds.flatMap((kind) => took[kind].lines(name, `kind="${kind}"`)),
    '',
  ].join('\n');
}

/** The health's own counts, read when asked, so that a row is counted in one place. */
function rowsTotal(registers: Registry[], health: Health): void {
  const fates: RowFate[] = ['committed', 'spooled', 'quarantined', 'unrecorded'];
  new Counter({
    name: 'tracheon_rows_total',
    help: 'Visits, button clicks and postbacks in, by what became of them. Any unrecorded one is an alarm.',
    labelNames: ['kind', 'fate'],
    registers,
    collect() {
      this.reset();
      for (const kind of rowKinds)
        for (const fate of fates) this.inc({ kind, fate }, health.fates.get(`${kind} ${fate}`) ?? 0);
    },
  });
}
