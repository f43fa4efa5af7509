/**
 * How long a file of conversions takes: rows uploaded and kept, then made into receipts and judged by the running server,
 * with the most memory that the server takes for it. Every row has a click ID of its own and an own transaction.
 *   npm run bench:import -- --json --rows=200000
 * What would make it lie: rows of unknown clicks, which book nothing (all are booked, asserted); few visits over and over
 * (each row has its own); durability off (asserted on); a run that is not over when the clock stops (the batch says so).
 */
import { copiedVisits, fileOf, over, ownersApi, upload } from './files.ts';
import { assertDurable, atMost, finish, makeScene, round, tracheon } from './run.ts';

const rows = Number(process.argv.find((a) => a.startsWith('--rows='))?.slice(7) ?? 20_000);
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 1);
const settings = await assertDurable(scene.client);
const server = await tracheon(url);

const ids = await copiedVisits(scene, server, rows);
const api = await ownersApi(scene, server);
const file = fileOf(ids, (n) => (n % 3 === 0 ? 'wait' : 'ok'));
let most = 0;
const watch = setInterval(
  () =>
    void server.metric('tracheon_process_resident_memory_bytes').then(
      (bytes) => (most = Math.max(most, bytes)),
      () => undefined,
    ),
  250,
);
const began = performance.now();
const uploaded = await upload(api, scene, file);
const uploadedAt = performance.now();
await api('POST', `/imports/${uploaded.id}/run`, uploaded.settings);
const batch = await over(api, uploaded.id);
const ended = performance.now();
clearInterval(watch);
await server.stop();
const booked = batch.results.find((r) => r.outcome === 'accepted')?.count ?? 0;
if (batch.state !== 'done' || booked !== rows) throw new Error(`${batch.state}: ${booked} of ${rows} booked`);
const figures = {
  rows,
  uploadRowsPerSecond: round(rows / ((uploadedAt - began) / 1000), 0),
  rowsPerSecond: round(rows / ((ended - uploadedAt) / 1000), 0),
  rssMb: round(most / 1024 / 1024, 0),
  fileMb: round(file.length / 1024 / 1024, 1),
  ...settings,
};
finish(figures, [atMost('rssMb', figures.rssMb, 500)]);
