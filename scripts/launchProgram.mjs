/**
 * Runs a program of the build: one script that holds everything it needs, npm packages too. Its compiled form is kept beside
 * it, so that only the first start with a version of Node.js compiles it (docs/decisions/0049).
 */
import { readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire, SourceMap } from 'node:module';
import { dirname, resolve } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { cachedDataVersionTag } from 'node:v8';
import { Script } from 'node:vm';

/** What the bundle takes from outside. `programUrl` is its `import.meta.url`. */
const GIVEN = ['exports', 'require', 'module', '__filename', '__dirname', 'programUrl'];

/**
 * @param {string} launcherUrl the program beside it is run: `server.cjs` for `server.mjs`
 * @param {string} made changes whenever the program does: V8 compares no more than its length
 */
export function launch(launcherUrl, made) {
  const path = fileURLToPath(launcherUrl).replace(/\.mjs$/, '.cjs');
  // Of the version of V8 and its flags.
  const compiledPath = `${path}.${made}-${cachedDataVersionTag()}.compiled`;
  const cachedData = readIfThere(compiledPath);
  // The bundle is ASCII: so read, it is not decoded, and takes a byte for each character.
  const source = readFileSync(path, 'latin1');
  const script = new Script(`(function (${GIVEN.join(', ')}) {${source}\n})`, {
    filename: path,
    cachedData,
  });
  tellSources(path);
  const module = { exports: {} };
  const run = script.runInThisContext();
  run(module.exports, createRequire(path), module, path, dirname(path), pathToFileURL(path).href);
  if (!cachedData || script.cachedDataRejected) keep(script, compiledPath);
}

function readIfThere(path) {
  try {
    return readFileSync(path);
  } catch {
    return undefined;
  }
}

/** With the functions that have run by now. Another process may start meanwhile: it finds all of it or nothing. */
function keep(script, path) {
  const unfinished = `${path}.${process.pid}`;
  try {
    writeFileSync(unfinished, script.createCachedData());
    renameSync(unfinished, path);
  } catch {
    // A full disk, or a folder of somebody else: each start compiles then. What was begun does not stay.
    rmSync(unfinished, { force: true });
  }
}

/** Stacks name the source. Its map is read for the first of them, and not at each start as by `--enable-source-maps`. */
function tellSources(path) {
  let map;
  const sourceOf = (site) => {
    if (site.getFileName() !== path) return String(site);
    map ??= new SourceMap(JSON.parse(readFileSync(`${path}.map`, 'utf8')));
    const [line, column] = [site.getLineNumber(), site.getColumnNumber()];
    const { originalSource, originalLine, originalColumn } = map.findEntry(line - 1, column - 1);
    // Of packages, the map has no lines.
    if (!originalSource || originalSource.includes('node_modules')) return String(site);
    const place = `${resolve(dirname(path), originalSource)}:${originalLine + 1}:${originalColumn + 1}`;
    return String(site).replace(`${path}:${line}:${column}`, () => place);
  };
  Error.prepareStackTrace = (error, sites) => {
    const places = sites.map((site) => {
      try {
        return sourceOf(site);
      } catch {
        // Without its map, the place in the bundle.
        return String(site);
      }
    });
    return [Error.prototype.toString.call(error), ...places.map((place) => `    at ${place}`)].join('\n');
  };
}
