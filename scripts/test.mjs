/**
 * npm test: installs what is missing, then format, lint, types, unit, integration, crash and browser tests, on a
 * throw-away database cluster (or, with DATABASE_URL, in databases of their own on that server) and free ports.
 * The last line is `N passed, N failed`: single tests where a runner counts them, one for each check elsewhere.
 *   npm test -- unit integration    only these parts: types, lint, format, size, unit, component, integration, patient, crash, browser
 */
import { spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { cpus, setPriority, tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, sizes } from './build.mjs';
import { crashRuns } from './crash.mjs';
import { startCluster } from './database.mjs';
import { CannotStart, ensurePackages, root } from './install.mjs';

const only = process.argv.slice(2);
const wanted = (name) => only.length === 0 || only.includes(name);
const work = mkdtempSync(join(tmpdir(), 'tracheon-test-'));
// As root, the database runs as user postgres, who has to pass through.
chmodSync(work, 0o711);
const total = { passed: 0, failed: 0 };
/** What all processors of this machine have worked, in seconds. It tells of a run what its time does not on a busy machine. */
const worked = () =>
  cpus().reduce((sum, { times: { user, nice, sys, irq } }) => sum + user + nice + sys + irq, 0) / 1000;
const began = { ms: Date.now(), worked: worked() };
/** [seconds, title] of single tests. */
const times = [];
/** What failed, shown once more at the end, where a long log is read first. */
const failures = [];
/** What passed at its second try only: as [title, why the first failed]. */
const unsteady = [];
let cluster = null;
let shared = null;
/** A bound for a part that hangs, on a machine that is busy with others as well. */
const PART_LIMIT_MS = 45 * 60_000;

/** Process groups of the parts that run now. */
const groups = new Set();
function endGroup(pid) {
  groups.delete(pid);
  try {
    process.kill(-pid, 'SIGKILL');
  } catch {
    // Nobody of it is left.
  }
}

/** Whose tests wait for somebody has the first turn at the processor: the browser, then what asks servers, then what only reads files. */
const NICE = { browser: 0, servers: 4, files: 10 };

function run(command, args, env = {}, nice = NICE.browser) {
  return new Promise((done) => {
    const child = spawn(command, args, {
      cwd: root,
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
      // A group of its own, so that the servers which a part has started end with it.
      detached: true,
    });
    groups.add(child.pid);
    // What it starts inherits it.
    if (child.pid !== undefined) setPriority(child.pid, nice);
    // A part that hangs must fail, not keep whoever waits for it.
    const limit = setTimeout(() => endGroup(child.pid), PART_LIMIT_MS);
    let output = '';
    child.stdout.on('data', (c) => (output += c));
    child.stderr.on('data', (c) => (output += c));
    child.on('close', (code) => {
      clearTimeout(limit);
      endGroup(child.pid);
      done({ code, output });
    });
  });
}

async function part(name, work) {
  if (!wanted(name)) return;
  const began = Date.now();
  const { passed, failed, output } = await work();
  total.passed += passed;
  total.failed += failed;
  const seconds = ((Date.now() - began) / 1000).toFixed(1);
  console.log(`${failed === 0 ? 'ok  ' : 'FAIL'} ${name}: ${passed} passed, ${failed} failed (${seconds} s)`);
  if (failed > 0) console.log(output);
}

const check = (name, script) =>
  part(name, async () => {
    const { code, output } = await run('npm', ['run', '--silent', script], {}, NICE.files);
    return { passed: code === 0 ? 1 : 0, failed: code === 0 ? 0 : 1, output };
  });

/** A runner that died without a report counts as one failure. `parts`: so many processes share the files. */
const jest = (name, project, env = {}, parts = 1) =>
  part(name, async () => {
    const all = await Promise.all(
      Array.from({ length: parts }, (_, i) =>
        jestPart(name, project, { ...env, TRACHEON_TEST_LANE: String(i) }, `${i + 1}/${parts}`),
      ),
    );
    return {
      passed: all.reduce((sum, one) => sum + one.passed, 0),
      failed: all.reduce((sum, one) => sum + one.failed, 0),
      output: all.map((one) => one.output).join(''),
    };
  });

async function jestPart(name, project, env, shard) {
  const report = join(work, `${name}-${shard.replace('/', '-of-')}.json`);
  // A server that a failed test has left behind must not keep the run waiting; the group is ended after it.
  const args = ['node_modules/jest/bin/jest.js', '--selectProjects', project, '--json', '--forceExit'];
  args.push('--runInBand', '--testSequencer=./tests/runner/evenShards.mjs');
  args.push(`--shard=${shard}`, `--outputFile=${report}`);
  const before =
    project === 'component'
      ? ['--experimental-vm-modules', '--disable-warning=ExperimentalWarning']
      : ['--import', './tests/runner/register.mjs'];
  // Building the app has set it to production, in which components report less.
  const more = { NODE_ENV: 'test', ...env };
  const nice = project === 'unit' || project === 'component' ? NICE.files : NICE.servers;
  const { code, output } = await run(process.execPath, [...before, ...args], more, nice);
  return counted(
    () => {
      const r = JSON.parse(readFileSync(report, 'utf8'));
      for (const file of r.testResults)
        for (const t of file.assertionResults) {
          times.push([(t.duration ?? 0) / 1000, t.fullName]);
          if (t.status === 'failed') failures.push([`${name}: ${t.fullName}`, t.failureMessages.join('\n')]);
        }
      // A file that cannot even be loaded has no tests of its own to fail.
      return { passed: r.numPassedTests, failed: r.numFailedTests + r.numRuntimeErrorTestSuites };
    },
    code,
    output,
  );
}

const browser = (env) =>
  part('browser', async () => {
    const report = join(work, 'browser.json');
    const args = [
      'node_modules/@playwright/test/cli.js',
      'test',
      '--config',
      'tests/browser/playwright.config.ts',
    ];
    const { code, output } = await run(process.execPath, args, {
      ...env,
      PLAYWRIGHT_JSON_OUTPUT_NAME: report,
    });
    return counted(
      () => {
        const { stats, errors, suites } = JSON.parse(readFileSync(report, 'utf8'));
        suites.forEach(collectTimes);
        return { passed: stats.expected + stats.flaky, failed: stats.unexpected + errors.length };
      },
      code,
      output,
    );
  });

function collectTimes(suite) {
  for (const spec of suite.specs ?? [])
    for (const { results, status } of spec.tests) {
      times.push([results.reduce((sum, r) => sum + r.duration, 0) / 1000, spec.title]);
      if (status === 'unexpected' || status === 'flaky')
        (status === 'flaky' ? unsteady : failures).push([
          `browser: ${spec.title}`,
          results
            .flatMap((r) => r.errors)
            .map((e) => e.message)
            .join('\n'),
        ]);
    }
  (suite.suites ?? []).forEach(collectTimes);
}

/** Each bound of the crash run counts; the second run must find the fault that was put in. */
const crashes = () =>
  part('crash', async () => {
    const all = { passed: 0, failed: 0, output: '' };
    for (const { code, output } of await crashRuns([
      ['--short', '--json'],
      ['--fault', '--json'],
    ])) {
      const { passed, failed } = counted(
        () => {
          const { bounds } = JSON.parse(output.slice(output.lastIndexOf('{"seconds"')));
          const met = bounds.filter((b) => b.ok).length;
          return { passed: met, failed: bounds.length - met };
        },
        code,
        output,
      );
      all.passed += passed;
      all.failed += failed;
      all.output += output;
    }
    return all;
  });

const LINES_OF_A_FAILURE = 12;
const firstLines = (text) =>
  text
    // Colours of the runner.
    .replaceAll(/\u001b\[[0-9;]*m/g, '')
    .split('\n')
    .slice(0, LINES_OF_A_FAILURE)
    .map((line) => `      ${line}`)
    .join('\n');

function listed(heading, tests) {
  if (tests.length > 0) console.log(heading);
  for (const [title, why] of tests) console.log(`  ${title}\n${firstLines(why)}`);
}

function counted(read, code, output) {
  try {
    const { passed, failed } = read();
    return { passed, failed: code !== 0 && failed === 0 ? 1 : failed, output };
  } catch {
    return { passed: 0, failed: 1, output };
  }
}

async function main() {
  const needsDatabase = ['integration', 'patient', 'browser'].some(wanted);
  const needsServer = (needsDatabase || wanted('crash')) && !process.env.DATABASE_URL;
  // Beside everything that needs none of them: it waits for the network.
  const debian = installDebian([
    ...(needsServer ? ['postgresql'] : []),
    ...(wanted('browser') ? ['chromium'] : []),
    ...(wanted('integration') ? ['curl'] : []),
  ]);
  ensurePackages();
  const reading = readingParts();
  try {
    await partsThatRun(debian, { needsDatabase, reading });
  } finally {
    // Also when the others could not begin.
    await reading;
  }
}

/** What needs neither the built programs nor a database goes on while those are made ready. */
const readingParts = () =>
  lane(
    () => check('types', 'types'),
    () => check('lint', 'lint'),
    () => check('format', 'format:check'),
    () => jest('unit', 'unit'),
    () => jest('component', 'component'),
  );

async function partsThatRun(debian, { needsDatabase, reading }) {
  if (needsDatabase || wanted('crash') || wanted('size')) await build();
  await part('size', () => {
    const { isSmall, lines } = sizes();
    return { passed: isSmall ? 1 : 0, failed: isSmall ? 0 : 1, output: lines.join('\n') };
  });
  await debian;
  if (needsDatabase && !process.env.DATABASE_URL)
    cluster = await startCluster(join(work, 'postgresql'), { throwaway: true });
  const env = {
    TRACHEON_TEST_SERVER: process.env.DATABASE_URL ?? cluster?.url('postgres') ?? '',
    TRACHEON_TEST_WORK: work,
  };
  if (needsDatabase) await makeTemplate(env);
  // Two lanes. Browser and integration tests do not run beside each other: both would wait longer, and what servers do every
  // second, and tests that ask again, would be done more often. That took a quarter more processor time.
  await Promise.all([
    lane(
      () => browser(env),
      () => integration(env),
    ),
    // It uses what the other leaves of the processor (NICE).
    lane(
      () => reading,
      () => crashes(),
      // Each of them waits most of the time.
      () => jest('patient', 'patient', env, 2),
    ),
  ]);
}

/** Most of these files share one server. It starts only now, since an idle server takes a twentieth of a processor. */
async function integration(env) {
  if (!wanted('integration')) return;
  const TRACHEON_TEST_SHARED = await startShared(env);
  await jest('integration', 'integration', { ...env, TRACHEON_TEST_SHARED }, 3);
}

async function installDebian(names) {
  if (names.length === 0) return;
  const { code, output } = await run(process.execPath, ['scripts/installDebian.mjs', ...names]);
  if (output !== '') console.log(output.trim());
  if (code !== 0) throw new CannotStart('Debian packages are missing.');
}

async function lane(...parts) {
  for (const next of parts) await next();
}

/** The database that every test database is copied from. */
async function makeTemplate(env) {
  const made = await run(process.execPath, ['--import', 'tsx', 'tests/integration/makeTemplate.ts'], env);
  if (made.code !== 0) throw new Error(`the template database could not be made: ${made.output}`);
}

/** The server that most integration files share; resolves with the address at which it is asked for desks. */
function startShared(env) {
  shared = spawn(process.execPath, ['--import', 'tsx', 'tests/integration/sharedServer.ts'], {
    cwd: root,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  setPriority(shared.pid, NICE.servers);
  return new Promise((done, fail) => {
    let output = '';
    shared.stdout.on('data', (chunk) => {
      output += chunk;
      const at = /shared server at (\S+)/.exec(output);
      if (at) done(at[1]);
    });
    shared.once('close', (code) => fail(new Error(`the shared server ended with ${code}: ${output}`)));
  });
}

function tellTime() {
  const seconds = Math.round((Date.now() - began.ms) / 1000);
  console.log(
    `${Math.floor(seconds / 60)} min ${seconds % 60} s; the processors of this machine (${cpus().length}) worked ${Math.round(worked() - began.worked)} s.`,
  );
}

function close() {
  shared?.kill('SIGKILL');
  for (const pid of groups) endGroup(pid);
  cluster?.stop('immediate');
  cluster = null;
  rmSync(work, { recursive: true, force: true });
}
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    close();
    process.exit(1);
  });

main()
  .catch((error) => {
    console.error(error instanceof CannotStart ? error.message : error.stack);
    total.failed += 1;
  })
  .finally(() => {
    close();
    tellTime();
    const slowest = times.sort((a, b) => b[0] - a[0]).slice(0, 10);
    if (slowest.length > 0) console.log('The slowest tests:');
    for (const [seconds, title] of slowest) console.log(`${seconds.toFixed(1).padStart(7)} s  ${title}`);
    listed('Passed at the second try only, which is a defect of the test or of the program:', unsteady);
    listed('What failed:', failures);
    console.log(`${total.passed} passed, ${total.failed} failed`);
    process.exitCode = total.failed === 0 && total.passed > 0 ? 0 : 1;
  });
