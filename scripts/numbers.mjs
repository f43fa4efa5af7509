/**
 * npm run numbers -- --state | --verify | --rebuild: asks the numbers process of the data folder how it stands, compares its
 * index with PostgreSQL (exit code 1 when they differ), or has it built anew.
 */
import { request } from 'node:http';
import { join, resolve } from 'node:path';
import { root } from './install.mjs';

const socketPath = join(resolve(root, process.env.TRACHEON_DATA ?? 'data'), 'numbers.sock');

function call(method, path) {
  return new Promise((done, failed) => {
    const req = request({ socketPath, method, path }, (res) => {
      let text = '';
      res.setEncoding('utf8').on('data', (chunk) => (text += chunk));
      res.on('end', () => done(JSON.parse(text)));
    });
    req.on('error', failed).end();
  });
}

const ways = {
  '--state': async () => console.log(JSON.stringify(await call('GET', '/state'))),
  '--rebuild': async () => {
    await call('POST', '/rebuild');
    console.log('The index is being built anew. See --state.');
  },
  '--verify': async () => {
    const differences = await call('POST', '/verify');
    if (differences === null) throw new Error('The index is being built. Try again later.');
    for (const { deskId, what, inDatabase, inIndex } of differences)
      console.log(`desk ${deskId}, ${what}: ${inDatabase} in PostgreSQL, ${inIndex} in the index`);
    console.log(
      differences.length === 0
        ? 'The index and PostgreSQL agree.'
        : `${differences.length} sums differ. Conversions may differ for seconds; ask again, then use --rebuild.`,
    );
    if (differences.length > 0) process.exitCode = 1;
  },
};
const way = ways[process.argv[2] ?? '--state'];
if (!way) {
  console.error('Use --state, --verify or --rebuild.');
  process.exitCode = 2;
} else
  await way().catch((error) => {
    console.error(
      ['ENOENT', 'ECONNREFUSED'].includes(error.code)
        ? 'No numbers process answers in this data folder. Start Tracheon first.'
        : error.message,
    );
    process.exitCode = 1;
  });
