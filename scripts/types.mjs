/**
 * npm run types: checks the types of everything that tsconfig.json names. TypeScript 7 does it, in a third of the time of
 * its predecessor; it knows no Vue components, so Vue's own language tools first write each of them as TypeScript.
 * What it then finds there is told by the line of the component.
 */
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createVueLanguagePlugin, forEachEmbeddedCode, getDefaultCompilerOptions } from '@vue/language-core';
import ts from 'typescript';
import { root } from './install.mjs';

const compiler = join(
  dirname(createRequire(import.meta.url).resolve('typescript-7/package.json')),
  'bin/tsc',
);
const vueOptions = getDefaultCompilerOptions();
/** What the written components name without importing it. */
const helpers = ['template-helpers.d.ts', 'props-fallback.d.ts'].map((n) => join(vueOptions.typesRoot, n));

/**
 * What is wrong with the types of a folder, one text for each, with its place as `file:line:column`.
 * @throws if the compiler ends without having checked.
 */
export async function checkTypes(folder) {
  const config = JSON.parse(readFileSync(join(folder, 'tsconfig.json'), 'utf8'));
  mkdirSync(join(folder, 'dist'), { recursive: true });
  // Within the folder, from where packages are found; of each run its own.
  const written = mkdtempSync(join(folder, 'dist/types-'));
  try {
    const { components, lost } = writeComponents(folder, written, config);
    writeFileSync(join(written, 'tsconfig.json'), JSON.stringify(configOf(config)));
    const { code, output } = await compile(written);
    const { found, rest } = readFindings(output);
    // A compiler that breaks off must not pass for one that found nothing.
    if (rest !== '' || code === null || (code !== 0 && found.length === 0))
      throw new Error(`TypeScript ended with ${code}: ${rest || output}`);
    return [...lost, ...found.flatMap((f) => placed(folder, written, components, f))];
  } finally {
    rmSync(written, { recursive: true, force: true });
  }
}

/** Written components stand where the sources stand: `./One.vue` is found as `One.vue.ts` there. */
const configOf = ({ compilerOptions, include, exclude }) => ({
  compilerOptions: {
    ...compilerOptions,
    rootDirs: ['../..', '.'],
    types: [...(compilerOptions.types ?? []), ...helpers],
  },
  include: [...include.map((pattern) => `../../${pattern}`), '**/*.vue.ts'],
  exclude: exclude.map((pattern) => `../../${pattern.replace('**/dist', '*/dist')}`),
});

/** `components`: by the path of what was written. `lost`: components of which nothing could be written. */
function writeComponents(folder, written, { compilerOptions, include }) {
  const { options } = ts.convertCompilerOptionsFromJson(compilerOptions, folder);
  const plugin = createVueLanguagePlugin(ts, options, vueOptions, (id) => id);
  const components = new Map();
  const lost = [];
  const folders = include
    .filter((pattern) => pattern.endsWith('/**/*.vue'))
    .map((pattern) => pattern.split('/')[0]);
  for (const path of folders.flatMap((name) => componentsIn(join(folder, name)))) {
    const source = readFileSync(path, 'utf8');
    const code = plugin.createVirtualCode(path, 'vue', ts.ScriptSnapshot.fromString(source), {
      getAssociatedScript: () => undefined,
    });
    const script = [...forEachEmbeddedCode(code)].find(({ id }) => id === 'script_ts');
    const place = relative(folder, path);
    if (!script) {
      lost.push(`${place}:1:1 - has no script in TypeScript`);
      continue;
    }
    const text = script.snapshot.getText(0, script.snapshot.getLength());
    const to = join(written, `${place}.ts`);
    mkdirSync(dirname(to), { recursive: true });
    writeFileSync(to, text);
    components.set(to, { place, source, text, mappings: script.mappings });
  }
  return { components, lost };
}

const componentsIn = (folder) =>
  readdirSync(folder, { recursive: true })
    .filter((name) => name.endsWith('.vue') && !/(^|\/)(node_modules|dist)\//.test(name))
    .map((name) => join(folder, name));

function compile(written) {
  const child = spawn(process.execPath, [compiler, '-p', written, '--pretty', 'false', '--checkers', '2'], {
    cwd: written,
  });
  let output = '';
  child.stdout.on('data', (chunk) => (output += chunk));
  child.stderr.on('data', (chunk) => (output += chunk));
  return new Promise((done, fail) => {
    child.once('error', fail);
    child.once('close', (code) => done({ code, output }));
  });
}

/** As `path(line,column): error TS1234: text`, where the text may go on in further lines; or without a place. `rest`: all else. */
function readFindings(output) {
  const found = [];
  let rest = '';
  for (const line of output.split('\n').filter((l) => l.trim() !== '')) {
    const [, , path, row, column, number, text] =
      /^((.+)\((\d+),(\d+)\): )?error TS(\d+): (.*)$/.exec(line) ?? [];
    if (number) found.push({ path, line: Number(row), column: Number(column), number: Number(number), text });
    else if (line.startsWith(' ') && found.length > 0) found.at(-1).text += `\n${line}`;
    else rest += `${line}\n`;
  }
  return { found, rest };
}

/** None for what holds only of the TypeScript that a component is written as, such as a name that nothing reads. */
function placed(folder, written, components, { path, line, column, number, text }) {
  const what = `error TS${number}: ${text}`;
  if (path === undefined) return [what];
  const component = components.get(resolve(written, path));
  if (!component) return [`${relative(folder, resolve(written, path))}:${line}:${column} - ${what}`];
  const at = sourceOffset(component, offsetOf(component.text, line, column), number);
  if (at !== undefined) return [`${component.place}:${lineAndColumn(component.source, at)} - ${what}`];
  // Nothing else in the whole project is checked while one file can't be read, so this must not be passed over.
  if (number < 2000)
    return [`${component.place}:1:1 - Vue's tools write this as TypeScript that can't be read: ${what}`];
  return [];
}

const offsetOf = (text, line, column) =>
  text.split('\n', line - 1).reduce((sum, before) => sum + before.length + 1, 0) + column - 1;
function lineAndColumn(text, offset) {
  const before = text.slice(0, offset).split('\n');
  return `${before.length}:${before.at(-1).length + 1}`;
}

/** Where the component says what stands there in what was written; nothing if it says nothing there that is to be checked. */
function sourceOffset({ mappings }, offset, number) {
  for (const { sourceOffsets, generatedOffsets, lengths, generatedLengths, data } of mappings) {
    if (!isChecked(data.verification, number)) continue;
    for (const [i, from] of generatedOffsets.entries()) {
      const length = (generatedLengths ?? lengths)[i];
      if (offset >= from && offset <= from + length)
        return sourceOffsets[i] + Math.min(offset - from, lengths[i]);
    }
  }
  return undefined;
}
const isChecked = (verification, number) =>
  typeof verification === 'object'
    ? (verification.shouldReport?.('ts', number) ?? true)
    : verification === true;

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  const found = await checkTypes(root);
  for (const one of found) console.log(one);
  if (found.length > 0) {
    console.log(`${found.length} found`);
    process.exitCode = 1;
  }
}
