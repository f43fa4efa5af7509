/** The product speaks in plain words: phrases that were replaced stay away. */
import { endpoints } from '@tracheon/core/contract/all';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from '@jest/globals';
import { errorCatalogue, type Endpoint } from '@tracheon/core/contract';
import { replacedPhrases } from './replacedPhrases.ts';

const folders = ['core', 'server', 'web', 'practice', 'demo', 'scripts', 'docs/guide', 'templates'];
const singles = ['README.md', 'docs/operations.md', 'docs/errors.md', 'docs/findings.md'];

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (['node_modules', 'dist', 'public', 'migrations'].includes(entry.name)) return [];
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return files(path);
    return /\.(vue|ts|mjs|md|json)$/.test(entry.name) && !/\.test\.ts$/.test(entry.name) ? [path] : [];
  });
}

/** What a reader gets to see of a file: templates and string literals; all of a document. */
function readable(path: string, text: string): string {
  const plain = (s: string): string => s.replace(/\s+/g, ' ');
  if (/\.(md|json)$/.test(path)) return plain(text);
  const code = text
    .replace(/\/\*[\s\S]*?\*\//g, '')
    .replace(/<style[\s\S]*?<\/style>/g, '')
    .replace(/(?<![:'"`])\/\/[^\n]*/g, '');
  const template = /<template>[\s\S]*<\/template>/.exec(code)?.[0] ?? '';
  const literals = [...code.matchAll(/'(?:[^'\\\n]|\\.)*'|`(?:[^`\\]|\\.)*`/g)].map(([all]) => all);
  return plain([template, ...literals].join(' ¶ '));
}
const phrasesIn = (text: string): string[] => replacedPhrases.filter((p) => text.includes(p));

it('finds a phrase that was put back, on a screen and in a sentence', () => {
  expect(phrasesIn(readable('x.vue', '<template><p>Draft, made-up\n  visit</p></template>'))).toEqual([
    'made-up visit',
  ]);
  expect(phrasesIn(readable('x.ts', "const words = 'Judge again';"))).toEqual(['Judge again']);
  expect(phrasesIn(readable('x.md', 'Press _Stop sending_.'))).toEqual(['Stop sending']);
  expect(phrasesIn(readable('x.ts', '/** Judge again. */ const n = 1;'))).toEqual([]);
});

it('no replaced phrase stands in what readers see', () => {
  const all = [...folders.flatMap(files), ...singles];
  expect(all.length).toBeGreaterThan(200);
  const found = all.flatMap((path) =>
    phrasesIn(readable(path, readFileSync(path, 'utf8'))).map((p) => `${path}: ${p}`),
  );
  expect(found).toEqual([]);
});

it('nor in the API document and the errors', () => {
  const texts = [
    ...(Object.values(endpoints) as Endpoint[]).map((e) => e.summary),
    ...Object.values(errorCatalogue).map((e) => e.sentence),
  ];
  expect(texts.length).toBeGreaterThan(90);
  expect(texts.flatMap(phrasesIn)).toEqual([]);
});
