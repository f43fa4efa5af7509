/** The check of all types finds what is wrong in a script and in a template, and says where. */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from '@jest/globals';
import { checkTypes } from '../../scripts/types.mjs';

const ROOT = join(import.meta.dirname, '../..');

async function found(files: Record<string, string>): Promise<string[]> {
  mkdirSync(join(ROOT, 'dist'), { recursive: true });
  const folder = mkdtempSync(join(ROOT, 'dist/planted-'));
  try {
    mkdirSync(join(folder, 'web'));
    const all = { 'tsconfig.json': JSON.stringify(CONFIG), ...files };
    for (const [name, text] of Object.entries(all)) writeFileSync(join(folder, name), text);
    return await checkTypes(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
const CONFIG = {
  compilerOptions: {
    target: 'ES2022',
    module: 'ESNext',
    moduleResolution: 'bundler',
    lib: ['ES2024', 'DOM'],
    strict: true,
    allowImportingTsExtensions: true,
    noEmit: true,
    skipLibCheck: true,
    types: [],
  },
  include: ['web/**/*.ts', 'web/**/*.vue'],
  exclude: ['**/dist'],
};
const FIELD = `<script setup lang="ts">
defineProps<{ label: string; limit?: number }>();
defineEmits<{ change: [value: number] }>();
defineSlots<{ default(props: { id: string }): unknown }>();
</script>
<template><label>{{ label }}<slot id="one" /></label></template>
`;
const page = (script: string, template: string): string => `<script setup lang="ts">
import Field from './Field.vue';
${script}
</script>
<template>
  <p>One</p>
  ${template}
</template>
`;

describe('the check of types', () => {
  it('finds nothing in what is right', async () => {
    const right = page(
      'const heard = (value: number): number => value;',
      '<Field v-slot="{ id }" label="Site" @change="heard">{{ id.length }}</Field>',
    );
    const main = `import Page from './Page.vue';\nexport const name: string | undefined = Page.name;\n`;
    expect(await found({ 'web/Field.vue': FIELD, 'web/Page.vue': right, 'web/main.ts': main })).toEqual([]);
  });

  /** By what is wrong: the script of a page, its template, and where it is found. All at once: each check takes a second. */
  const planted: [what: string, script: string, template: string, place: string, error: string][] = [
    ['a value of another type for a property', '', '<Field :label="5" />', '7:10', 'TS2322'],
    ['a property that is missing', '', '<Field />', '7:4', 'TS2345'],
    ['a name that is nowhere', '', '<Field :label="lable" />', '7:18', 'TS2339'],
    [
      'a handler of something else',
      'const heard = (_: string): void => undefined;',
      '<Field label="a" @change="heard" />',
      '7:21',
      'TS2322',
    ],
    [
      'a slot that gives something else',
      '',
      '<Field v-slot="{ id }" label="a">{{ id.foo }}</Field>',
      '7:42',
      'TS2339',
    ],
    ['a fault in the script', 'export const a: number = "b";', '<Field label="a" />', '3:14', 'TS2322'],
  ];
  it('finds a fault in a template or a script, where it stands', async () => {
    const pages = planted.map(([, script, template], n) => [`web/Page${n}.vue`, page(script, template)]);
    const all = await found({
      'web/Field.vue': FIELD,
      ...(Object.fromEntries(pages) as Record<string, string>),
    });
    const places = all.map((one) => one.split(':').slice(0, 3).join(':')).sort();
    expect(places.map((place, n) => [planted[n]?.[0], place])).toEqual(
      planted.map(([what, , , place, error], n) => [what, `web/Page${n}.vue:${place} - error ${error}`]),
    );
  });

  it('finds a component used wrongly from TypeScript, and a fault beside components', async () => {
    const main = `import Page from './Page.vue';\nexport const a: number = Page;\nexport const b: string = 1;\n`;
    const all = await found({
      'web/Field.vue': FIELD,
      'web/Page.vue': page('', '<Field label="a" />'),
      'web/main.ts': main,
    });
    expect(all.map((one) => one.split(':').slice(0, 2).join(':'))).toEqual([
      'web/main.ts:2',
      'web/main.ts:3',
    ]);
  });

  it('does not pass over a component of which nothing can be checked', async () => {
    const untyped = '<script setup>\nconst a = 1;\n</script>\n<template><p>{{ a }}</p></template>\n';
    const unread = page('', '<Field label="http://one.example" />');
    const all = await found({ 'web/Field.vue': FIELD, 'web/Untyped.vue': untyped, 'web/Page.vue': unread });
    expect(all).toContain('web/Untyped.vue:1:1 - has no script in TypeScript');
    expect(all.some((one) => one.startsWith('web/Page.vue:1:1 - Vue'))).toBe(true);
  });
});
