/** The server programs of the build, each one script with everything that it needs, and how they are made (esbuild). */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { root } from './install.mjs';

/** Each program lies in its own workspace, so that it finds that workspace's versions of npm packages. */
export const programs = {
  'server/dist/server': 'server/app/main.ts',
  'server/dist/prepare': 'server/app/prepare.ts',
  'server/dist/odds': 'server/odds/drawOdds.ts',
  'server/dist/numbers': 'server/app/numbers.ts',
  'practice/dist/practice': 'practice/main.ts',
};

/** Stays outside: a compiled library, and what Sequelize and pg would use if it were installed. */
const OUTSIDE = ['@duckdb/*', 'pg-native', 'pg-hstore'];

const ownPackages = {
  name: 'own packages',
  setup(build) {
    build.onResolve({ filter: /^@tracheon\/core\// }, ({ path }) => ({
      path: join(root, 'core', path.slice(15), 'index.ts'),
    }));
    build.onResolve({ filter: /^@tracheon\/(server|demo|practice)\// }, ({ path }) => ({
      path: join(root, path.slice(10)),
    }));
  },
};

/** One entry for a whole file: the maps of the packages would be most of the program's map, and nobody reads them. */
const NO_MAP = `\n//# sourceMappingURL=data:application/json;base64,${Buffer.from(
  JSON.stringify({ version: 3, sources: [''], mappings: 'AAAA' }),
).toString('base64')}`;
const packagesWithoutMaps = {
  name: 'packages without maps',
  setup(build) {
    build.onLoad({ filter: /\/node_modules\/.*\.[cm]?js$/ }, ({ path }) => ({
      contents: readFileSync(path, 'utf8') + NO_MAP,
      loader: 'js',
    }));
  },
};

/** Of what form `scripts/launchProgram.mjs` runs a program. */
export const asScript = {
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'cjs',
  charset: 'ascii',
  define: { 'import.meta.url': 'programUrl' },
  // A script can't import; what is imported at run time is required there.
  supported: { 'dynamic-import': false },
  sourcemap: true,
  // The sources lie beside.
  sourcesContent: false,
};

/** What is started: `scripts/launchProgram.mjs` runs the bundle beside it. */
export const launcher = (
  path,
  made,
) => `import { launch } from '${relative(dirname(path), join(root, 'scripts/launchProgram.mjs'))}';
launch(import.meta.url, '${made}');
`;

export async function buildPrograms() {
  const esbuild = await import('esbuild');
  await esbuild.build({
    entryPoints: Object.fromEntries(Object.entries(programs).map(([name, file]) => [name, join(root, file)])),
    outdir: root,
    outExtension: { '.js': '.cjs' },
    ...asScript,
    external: OUTSIDE,
    plugins: [ownPackages, packagesWithoutMaps],
    logLevel: 'warning',
  });
  for (const folder of ['server/dist', 'practice/dist'])
    for (const name of readdirSync(join(root, folder)))
      // The compiled forms of earlier builds would pile up.
      if (name.includes('.compiled')) rmSync(join(root, folder, name));
  for (const name of Object.keys(programs)) {
    const made = createHash('sha256')
      .update(readFileSync(join(root, `${name}.cjs`)))
      .digest('hex')
      .slice(0, 16);
    const path = join(root, `${name}.mjs`);
    writeFileSync(path, launcher(path, made));
  }
}
