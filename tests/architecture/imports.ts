/** Imports of the source, read by the language's own parser, and the table of what may import what. */
import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, normalize } from 'node:path';
import type TypeScript from 'typescript';
import { parse } from '@vue/compiler-sfc';

// A CommonJS package of this size takes a second to be looked through for names.
const ts = createRequire(import.meta.url)('typescript') as typeof TypeScript;

export interface Edge {
  file: string;
  /** A project path (`core/money/index.ts`) or the name of a package (`zod`, `node:fs`). */
  to: string;
  /** As it stands in the source. */
  written: string;
}
export const folders = ['core', 'server', 'web', 'practice', 'demo'] as const;

export function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (['node_modules', 'dist', 'public'].includes(entry.name)) return [];
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return files(path);
    return /\.(ts|vue)$/.test(entry.name) && !/\.test\.ts$/.test(entry.name) ? [path] : [];
  });
}

function scriptOf(file: string): string {
  const text = readFileSync(file, 'utf8');
  if (!file.endsWith('.vue')) return text;
  const { descriptor } = parse(text, { filename: file, sourceMap: false });
  return [descriptor.script?.content, descriptor.scriptSetup?.content].filter(Boolean).join('\n');
}

/** Every module that a text names: imports, exports from, types imported in place, and imports at run time. */
export function importsOf(file: string, text: string): Edge[] {
  const source = ts.createSourceFile(file.replace(/\.vue$/, '.ts'), text, ts.ScriptTarget.ES2022);
  const written: string[] = [];
  const take = (node: TypeScript.Node | undefined): void => {
    if (node && ts.isStringLiteralLike(node)) written.push(node.text);
  };
  const walk = (node: TypeScript.Node): void => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) take(node.moduleSpecifier);
    else if (ts.isImportTypeNode(node) && ts.isLiteralTypeNode(node.argument)) take(node.argument.literal);
    else if (ts.isCallExpression(node) && node.expression.kind === ts.SyntaxKind.ImportKeyword)
      take(node.arguments[0]);
    ts.forEachChild(node, walk);
  };
  walk(source);
  return written.map((name) => ({ file, written: name, to: target(file, name) }));
}

function target(file: string, name: string): string {
  if (name.startsWith('.')) return normalize(join(dirname(file), name));
  const own = /^@tracheon\/(.+)$/.exec(name)?.[1];
  // A folder of core stands for its index.
  return own === undefined ? name : /\.\w+$/.test(own) ? own : `${own}/index.ts`;
}

export const allEdges = (): Edge[] =>
  folders.flatMap(files).flatMap((file) => importsOf(file, scriptOf(file)));

/** Place → what it may import. */
export type Table = ReadonlyMap<string, readonly string[]>;

export function readTable(markdown: string): Table {
  const rows = [...markdown.matchAll(/^\| `([^`]+)` +\|([^|]*)\|$/gm)];
  return new Map(
    rows.map(([, place, cell]) => [place!, [...cell!.matchAll(/`([^`]+)`/g)].map((m) => m[1]!)]),
  );
}

export const isProject = (path: string): boolean => folders.some((f) => path.startsWith(`${f}/`));
export const isIn = (path: string, place: string): boolean => path === place || path.startsWith(`${place}/`);

/** The longest place that a file lies in; `web/features/*` stands for each folder there. Undefined for none. */
export function placeOf(table: Table, file: string): string | undefined {
  const found = [...table.keys()].filter((place) =>
    place.endsWith('/*') ? file.startsWith(place.slice(0, -1)) : isIn(file, place),
  );
  const place = found.sort((a, b) => b.length - a.length)[0];
  if (!place?.endsWith('/*')) return place;
  const depth = place.split('/').length;
  return file.split('/').slice(0, depth).join('/');
}

const rowOf = (table: Table, place: string): readonly string[] =>
  table.get(place) ?? table.get(`${dirname(place)}/*`) ?? [];

/** Imports that the table does not allow, as `file → what`. */
export function violations(table: Table, edges: readonly Edge[]): string[] {
  return edges
    .filter((e) => isProject(e.to))
    .filter(({ file, to }) => {
      const [from, there] = [placeOf(table, file), placeOf(table, to)];
      if (from === undefined || there === undefined) return true;
      if (from === there) return false;
      // A file with a row of its own is named itself, or with the whole workspace around it.
      const mayNamed = (allowed: string): boolean => allowed === to || !allowed.includes('/');
      return !rowOf(table, from).some(
        (allowed) => isIn(to, allowed) && (!table.has(to) || mayNamed(allowed)),
      );
    })
    .map(({ file, to }) => `${file} → ${to}`);
}

/** Circles between places, each as the places that it leads through. */
export function circles(table: Table, edges: readonly Edge[]): string[][] {
  const next = new Map<string, Set<string>>();
  for (const { file, to } of edges) {
    if (!isProject(to)) continue;
    const [from, there] = [placeOf(table, file), placeOf(table, to)];
    if (from === undefined || there === undefined || from === there) continue;
    next.set(from, (next.get(from) ?? new Set()).add(there));
  }
  const found: string[][] = [];
  const done = new Set<string>();
  const visit = (place: string, way: string[]): void => {
    const at = way.indexOf(place);
    if (at >= 0) return void found.push(way.slice(at));
    if (done.has(place)) return;
    for (const to of next.get(place) ?? []) visit(to, [...way, place]);
    done.add(place);
  };
  for (const place of next.keys()) visit(place, []);
  return found;
}
