/** Builds the server programs (esbuild) and the web app (Vite) when their sources have changed since the last build. */
import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ensurePackages, root } from './install.mjs';
import { buildPrograms } from './programs.mjs';

const sources = ['core', 'server', 'web', 'practice', 'demo', 'docs/guide'];
/** What may be loaded before the first screen is drawn. */
const FIRST_SCREEN_KIB = 350;
function fingerprint() {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')));
  const walk = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) =>
      a.name < b.name ? -1 : 1,
    )) {
      if (entry.name === 'node_modules' || entry.name === 'dist') continue;
      const path = join(folder, entry.name);
      if (entry.isDirectory()) walk(path);
      else {
        const { size, mtimeMs } = statSync(path);
        hash.update(`${relative(root, path)}|${size}|${mtimeMs}\n`);
      }
    }
  };
  for (const folder of sources) walk(join(root, folder));
  return hash.digest('hex');
}

export async function build({ force = false } = {}) {
  const stamp = join(root, 'server/dist/stamp');
  const now = fingerprint();
  if (
    !force &&
    existsSync(stamp) &&
    readFileSync(stamp, 'utf8') === now &&
    existsSync(join(root, 'web/dist/index.html'))
  )
    return;
  console.log('Building …');
  await buildPrograms();
  const vite = await import('vite');
  await vite.build({
    root: join(root, 'web'),
    configFile: join(root, 'web/vite.config.ts'),
    logLevel: 'warn',
  });
  writeFileSync(stamp, now);
}

/** What a browser loads before the first screen, gzipped, and whether that is little enough; and the chunks that come later. */
export function sizes() {
  const dist = join(root, 'web/dist');
  const manifest = JSON.parse(readFileSync(join(dist, '.vite/manifest.json'), 'utf8'));
  const kib = (file) => gzipSync(readFileSync(join(dist, file))).length / 1024;
  const files = new Set();
  const collect = (key) => {
    const chunk = manifest[key];
    if (files.has(chunk.file)) return;
    for (const file of [chunk.file, ...(chunk.css ?? [])]) files.add(file);
    (chunk.imports ?? []).forEach(collect);
  };
  // The entry fetches the application itself as a second step, and that one the screen.
  for (const key of ['index.html', 'app/start.ts', 'features/today/TodayPage.vue']) collect(key);
  const first = [...files].reduce((sum, file) => sum + kib(file), 0);
  const later = Object.values(manifest).filter((c) => c.file.endsWith('.js') && !files.has(c.file));
  const largest = later.map((c) => [kib(c.file), c.name]).sort((a, b) => b[0] - a[0]);
  return {
    isSmall: first < FIRST_SCREEN_KIB,
    lines: [
      `first screen: ${first.toFixed(0)} KiB gzipped (${files.size} files), wanted under ${FIRST_SCREEN_KIB}`,
      ...largest.slice(0, 6).map(([size, name]) => `later: ${size.toFixed(0)} KiB ${name}`),
    ],
  };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  ensurePackages();
  await build({ force: true });
  console.log(sizes().lines.join('\n'));
}
