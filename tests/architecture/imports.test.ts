/** Imports go one way, by the table in docs/architecture.md, and the hot path knows no database. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from '@jest/globals';
import {
  allEdges,
  circles,
  files,
  folders,
  importsOf,
  isIn,
  isProject,
  placeOf,
  readTable,
  violations,
  type Edge,
} from './imports.ts';

const table = readTable(readFileSync('docs/architecture.md', 'utf8'));
const all = allEdges();
const within = (prefix: string): Edge[] => all.filter((e) => e.file.startsWith(`${prefix}/`));
const packagesOf = (prefix: string): string[] => [
  ...new Set(within(prefix).flatMap((e) => (isProject(e.to) ? [] : [e.to]))),
];

it('every folder was read, and every place of the table is there', () => {
  for (const folder of folders) expect([folder, within(folder).length > 5]).toEqual([folder, true]);
  const placed = folders.flatMap(files).map((file) => [file, placeOf(table, file)] as const);
  const nowhere = placed.filter(([, place]) => place === undefined).map(([file]) => file);
  expect(nowhere).toEqual(['web/vite.config.ts']);
  const used = new Set(placed.map(([, place]) => place));
  for (const place of table.keys())
    if (!place.endsWith('/*')) expect([place, used.has(place)]).toEqual([place, true]);
});

it('imports go as the table says', () => expect(violations(table, all)).toEqual([]));
it('no circle leads through places', () => expect(circles(table, all)).toEqual([]));

it('only tests hash passwords at less than the full cost', () => {
  const named = folders.flatMap(files).filter((file) => readFileSync(file, 'utf8').includes('hashCheaply'));
  expect(named).toEqual(['server/accounts/passwords.ts']);
});

describe('the table', () => {
  const broken = (file: string, text: string): string[] => violations(table, importsOf(file, text));
  it('forbids that capture imports the writer, also in passing or as a type', () => {
    for (const text of [
      `import { commitVisits } from '../events/commitRows.ts';`,
      `import type { EventWriter } from '../events/eventWriter.ts';`,
      `const writer = await import('../events/durableWriter.ts');`,
      `type W = import('../events/eventWriter.ts').EventWriter<string>;`,
      `export * from '../db/pools.ts';`,
      `import { openPool } from '@tracheon/server/db/pools.ts';`,
    ])
      expect([text, broken('server/capture/x.ts', text).length]).toEqual([text, 1]);
    expect(broken('server/capture/x.ts', `import type { V } from '../events/rows.ts';`)).toEqual([]);
  });
  it('forbids that features import each other, and whatever wires them', () => {
    const text = `import Form from '../parts/NetworkForm.vue'; import { makeRouter } from '../../app/router.ts';`;
    expect(broken('web/features/setUp/X.vue', text)).toHaveLength(2);
    expect(broken('web/features/parts/X.vue', `import Form from './NetworkForm.vue';`)).toEqual([]);
  });
  it('forbids that the sender of postbacks imports reports', () => {
    expect(broken('server/notify/x.ts', `import { listVisits } from '../reports/lists.ts';`)).toHaveLength(1);
  });
  it('forbids that core imports anything above it, or a place that nobody has named', () => {
    expect(broken('core/money/x.ts', `import { z } from '../contract/index.ts';`)).toHaveLength(1);
    expect(broken('core/money/x.ts', `import { z } from '../../server/db/pools.ts';`)).toHaveLength(1);
    expect(broken('server/novelty/x.ts', `import { a } from '../db/pools.ts';`)).toHaveLength(1);
  });
  it('sees a circle', () => {
    const edges = [
      ...importsOf('server/db/x.ts', `import '../events/eventWriter.ts';`),
      ...importsOf('server/events/x.ts', `import '../db/pools.ts';`),
    ];
    expect(circles(table, edges)).toHaveLength(1);
  });
  it('takes no import in a comment or a text for one', () => {
    expect(importsOf('core/x.ts', `// import a from './b.ts'\nconst t = "import x from './y.ts'";`)).toEqual(
      [],
    );
  });
});

/** Of the project, without the ending of its file. */
const bare = (edges: readonly Edge[]): string[] =>
  edges
    .filter((e) => e.written.startsWith('.') && !/\.(ts|vue|css|json)$/.test(e.written))
    .map((e) => `${e.file} → ${e.written}`);
it('relative imports name files with their ending, in every workspace', () => {
  expect(all.filter((e) => e.written.startsWith('.')).length).toBeGreaterThan(800);
  expect(bare(all)).toEqual([]);
  expect(bare(importsOf('core/money/x.ts', `import { a } from './amount';`))).toHaveLength(1);
});

it('core is pure: zod and small pure libraries', () => {
  const allowed = [
    '@noble/hashes/sha2.js',
    'currency-codes',
    'ipaddr.js',
    'jstat',
    'lossless-json',
    'luxon',
    're2js',
    'zod',
  ];
  expect(packagesOf('core').sort()).toEqual(allowed);
});

it('core has no clock and no randomness of its own', () => {
  const impure = files('core').filter((f) =>
    /\bDate\.now\(|new Date\(\)|Math\.random|process\.|performance\.|crypto\./.test(readFileSync(f, 'utf8')),
  );
  expect(impure).toEqual([]);
});

it('web knows nothing of Node, and the hot path no database', () => {
  expect(packagesOf('web').filter((p) => p.startsWith('node:'))).toEqual([]);
  const heavy = ['pg', 'sequelize', 'express'];
  expect(packagesOf('server/capture').filter((p) => heavy.some((h) => isIn(p, h)))).toEqual([]);
});

it('only main wires and listens', () => {
  const starters = all.filter((e) => e.to === 'server/app/startServer.ts').map((e) => e.file);
  expect(starters).toEqual(['server/app/main.ts']);
});

it('pages put no text into a page as HTML', () => {
  const pages = files('web').filter((f) => f.endsWith('.vue'));
  expect(pages.length).toBeGreaterThan(20);
  expect(pages.filter((f) => /v-html|innerHTML|renderMode: 'html'/.test(readFileSync(f, 'utf8')))).toEqual(
    [],
  );
});
