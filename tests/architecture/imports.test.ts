/** Imports go one way (core ← server, web, practice; demo on top), and the hot path knows no database. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize, relative } from 'node:path';
import { expect, it } from '@jest/globals';

const folders = ['core', 'server', 'web', 'practice', 'demo'] as const;
type Edge = { file: string; to: string };

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (['node_modules', 'dist', 'public'].includes(entry.name)) return [];
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return files(path);
    return /\.(ts|vue)$/.test(entry.name) && !/\.test\.ts$/.test(entry.name) ? [path] : [];
  });
}

/** What a file imports: a project path (`core/money`) or the name of a package (`zod`, `node:fs`). */
function edges(file: string): Edge[] {
  const text = readFileSync(file, 'utf8');
  const found = [...text.matchAll(/(?:\bfrom |\bimport |\bimport\()\s*'([^'\s]+)'/g)].map((m) => m[1]!);
  return found.map((name) => ({
    file,
    to: name.startsWith('.')
      ? relative('.', normalize(join(dirname(file), name)))
      : name.replace(/^@tracheon\//, ''),
  }));
}
const all = folders.flatMap(files).flatMap(edges);
const within = (prefix: string): Edge[] => all.filter((e) => e.file.startsWith(`${prefix}/`));
const leaves = (from: string, allowed: (to: string, file: string) => boolean): string[] =>
  within(from)
    .filter((e) => !allowed(e.to, e.file))
    .map((e) => `${e.file} → ${e.to}`);
const isProject = (to: string): boolean => folders.some((f) => to.startsWith(`${f}/`));
const isIn = (to: string, ...places: string[]): boolean =>
  places.some((p) => to === p || to.startsWith(`${p}/`));

it('every folder was read', () => {
  for (const folder of folders) expect([folder, within(folder).length > 5]).toEqual([folder, true]);
});

it('core is pure: itself, zod, and small pure libraries', () => {
  expect(
    leaves(
      'core',
      (to) =>
        isIn(to, 'core') ||
        ['zod', 'currency-codes', 'luxon', 'lossless-json', '@noble/hashes/sha2.js'].includes(to),
    ),
  ).toEqual([]);
});

it('core has no clock and no randomness of its own', () => {
  const impure = files('core').filter((f) =>
    /\bDate\.now\(|new Date\(\)|Math\.random|process\.|performance\.|crypto\./.test(readFileSync(f, 'utf8')),
  );
  expect(impure).toEqual([]);
});

it('web imports core only', () => {
  expect(leaves('web', (to) => !isProject(to) || isIn(to, 'core', 'web'))).toEqual([]);
  expect(within('web').filter((e) => e.to.startsWith('node:'))).toEqual([]);
});

it('components of web/ui know nothing of the app and its screens', () => {
  expect(within('web/ui').length).toBeGreaterThan(30);
  expect(leaves('web/ui', (to) => !isProject(to) || isIn(to, 'core', 'web/ui'))).toEqual([]);
});

it('the server imports core, never web; only its preparing program knows the demo desk', () => {
  const allowed = (to: string, file: string): boolean =>
    !isProject(to) || isIn(to, 'core', 'server') || (file === 'server/app/prepare.ts' && isIn(to, 'demo'));
  expect(leaves('server', allowed)).toEqual([]);
});

it('practice partners know core alone: they are on the other side of the wire', () => {
  expect(leaves('practice', (to) => !isProject(to) || isIn(to, 'core', 'practice'))).toEqual([]);
});

it('the hot path imports no db', () => {
  const allowed = (to: string): boolean =>
    !isIn(to, 'server/db', 'server/parts', 'server/http', 'pg', 'sequelize', 'express');
  expect(within('server/capture').length).toBeGreaterThan(5);
  expect(leaves('server/capture', allowed)).toEqual([]);
});

it('only main wires and listens', () => {
  const starters = all.filter((e) => e.to === 'server/app/startServer.ts').map((e) => e.file);
  expect(starters).toEqual(['server/app/main.ts']);
});

it('relative imports end in .ts or .vue', () => {
  const bare = all.filter((e) => isProject(e.to) && e.file.split('/')[0] === e.to.split('/')[0]);
  expect(bare.length).toBeGreaterThan(100);
  const wrong = bare.filter(
    (e) =>
      !/\.(ts|vue|css)$/.test(e.to) && readFileSync(e.file, 'utf8').includes(`'./`) && !/^core\//.test(e.to),
  );
  expect(wrong.map((e) => `${e.file} → ${e.to}`)).toEqual([]);
});

it('pages put no text into a page as HTML', () => {
  const pages = files('web').filter((f) => f.endsWith('.vue'));
  expect(pages.length).toBeGreaterThan(20);
  expect(pages.filter((f) => /v-html|innerHTML|renderMode: 'html'/.test(readFileSync(f, 'utf8')))).toEqual(
    [],
  );
});
