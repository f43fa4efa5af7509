/** Documents that list what the code has are held against it, both ways. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from '@jest/globals';
import { errorCatalogue } from '../../core/contract/index.ts';
import { findingCodes } from '../../core/links/index.ts';
import { environment } from '../../server/config/config.ts';

const read = (file: string): string => readFileSync(file, 'utf8');
const firstColumn = (text: string, pattern: RegExp): string[] =>
  [...text.matchAll(pattern)].map((m) => m[1]!);

it('the error catalogue: every code with its status and sentence, and none besides', () => {
  const rows = [
    ...read('docs/errors.md').matchAll(/^\| <a id="\w+"><\/a>`(\w+)` +\| (\d+) +\| (.+?) +\| (.+?) +\|$/gm),
  ];
  expect(rows.map((r) => r[1])).toEqual(Object.keys(errorCatalogue));
  for (const [, code, status, sentence] of rows)
    expect([code, Number(status), sentence]).toEqual([
      code,
      errorCatalogue[code as keyof typeof errorCatalogue].status,
      errorCatalogue[code as keyof typeof errorCatalogue].sentence,
    ]);
});

it('the findings: every code with its meaning, and none besides', () => {
  const codes = firstColumn(read('docs/findings.md'), /^\| `(\w+)`/gm);
  expect([...codes].sort()).toEqual([...findingCodes].sort());
});

it('the README: every variable of the environment, and none besides', () => {
  const listed = firstColumn(read('README.md'), /^\| `((?:TRACHEON|DATABASE|PRACTICE)_\w+)`/gm);
  const known = new Set(Object.keys(environment.shape));
  const ofStart = new Set(
    [
      ...(read('scripts/start.mjs') + read('server/app/prepare.ts')).matchAll(
        /\b(TRACHEON_(?:PRACTICE_[A-Z_]+_(?:HOST|PORT)|OWNER_PASSWORD|DEMO_SHARE))\b/g,
      ),
    ].map((m) => m[1]!),
  );
  // start.mjs builds these names from the place; prepare.ts and the README spell them out.
  for (const place of [
    'PRACTICE_AD_NETWORK',
    'PRACTICE_AFFILIATE',
    'PRACTICE_PAGES',
    'PRACTICE_POP_NETWORK',
    'PRACTICE_FEED',
    'PRACTICE_MAILBOX',
  ])
    for (const what of ['HOST', 'PORT']) ofStart.add(`TRACHEON_${place}_${what}`);
  // The mail server of the practice mailbox has its host.
  ofStart.add('TRACHEON_PRACTICE_SMTP_PORT');
  expect([...listed].sort()).toEqual([...new Set([...known, ...ofStart])].sort());
});

it('every link inside the documents leads somewhere, and every picture is shown', () => {
  const documents = [
    'README.md',
    ...readdirSync('docs', { recursive: true })
      .map((f) => join('docs', String(f)))
      .filter((f) => f.endsWith('.md')),
  ];
  expect(documents.length).toBeGreaterThan(3);
  const dead: string[] = [];
  const shown = new Set<string>();
  for (const file of documents)
    for (const target of firstColumn(read(file), /\]\(([^)#:]+)(?:#[^)]*)?\)/g)) {
      const path = join(file, '..', target);
      if (!existsSync(path)) dead.push(`${file} → ${target}`);
      shown.add(path);
    }
  expect(dead).toEqual([]);
  const pictures = readdirSync('docs/screenshots').map((f) => join('docs/screenshots', f));
  expect(pictures.length).toBeGreaterThan(5);
  expect(pictures.length).toBeLessThan(20);
  expect(pictures.filter((p) => !shown.has(p))).toEqual([]);
});

it('the threat model: every row names a test that is there', () => {
  const rows = [...read('docs/threats.md').matchAll(/^\|.*\| `([\w.]+)`: (.+?) +\|$/gm)];
  expect(rows.length).toBeGreaterThan(20);
  const tests = new Map(
    ['tests', 'server', 'core', 'web'].flatMap((folder) =>
      readdirSync(folder, { recursive: true })
        .map(String)
        .filter((f) => /\.(test|spec)\.ts$/.test(f) && !f.includes('node_modules'))
        .map((f) => [f.split('/').at(-1)!, read(join(folder, f))] as const),
    ),
  );
  for (const [, file, name] of rows)
    expect([file, name, tests.get(file!)?.includes(name!)]).toEqual([file, name, true]);
});
