import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { expect, it } from '@jest/globals';
import { presets } from './presets.ts';

const MODULES = 'node_modules';
/** Components that a file imports by their name. */
const importsOf = (file: string): string[] =>
  [...readFileSync(file, 'utf8').matchAll(/from ['"]primevue\/([a-z]+)['"]/g)].map((m) => m[1]!);

it('every component in use, and every one inside it, has its preset', () => {
  const used = new Set<string>();
  const use = (name: string): void => {
    if (used.has(name)) return;
    used.add(name);
    const file = `${MODULES}/primevue/${name}/index.mjs`;
    if (existsSync(file)) importsOf(file).forEach(use);
  };
  ['app', 'shared', 'ui', 'features']
    .flatMap((folder) =>
      readdirSync(`web/${folder}`, { recursive: true }).map((file) => `web/${folder}/${String(file)}`),
    )
    .filter((file) => /\.(vue|ts)$/.test(file))
    .flatMap(importsOf)
    .forEach(use);
  const wanted = [...used].filter((name) => existsSync(`${MODULES}/@primeuix/themes/dist/aura/${name}`));
  expect(wanted.length).toBeGreaterThan(20);
  expect(wanted.filter((name) => !(name in presets.components))).toEqual([]);
});
