/** How a program of the build is run: from its kept compiled form, which is never used for another program, with stacks that name the source. */
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { build } from 'esbuild';
import { asScript, launcher } from '../../scripts/programs.mjs';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'tracheon-launch-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const inFolder = (name: string): string => join(folder, name);
const compiled = (): string[] => readdirSync(folder).filter((name) => name.includes('.compiled'));

async function make(source: string, made = 'first'): Promise<void> {
  writeFileSync(inFolder('program.ts'), source);
  await build({
    entryPoints: [inFolder('program.ts')],
    outfile: inFolder('program.cjs'),
    ...asScript,
  });
  writeFileSync(inFolder('program.mjs'), launcher(inFolder('program.mjs'), made));
}
const run = (): string => execFileSync(process.execPath, [inFolder('program.mjs')], { encoding: 'utf8' });

describe('a program of the build', () => {
  it('has its own address, can require and import, and is compiled once', async () => {
    await make(
      `const { basename } = require('node:path');
       import('node:os').then(({ EOL }) => console.log(basename(import.meta.url), __dirname === '${folder}', EOL === '\\n'));`,
    );
    expect(run()).toBe('program.cjs true true\n');
    expect(compiled()).toHaveLength(1);
    // A start that compiles writes the file anew, which is another one then.
    const { ino } = statSync(inFolder(compiled()[0]!));
    expect(run()).toBe('program.cjs true true\n');
    expect(statSync(inFolder(compiled()[0]!)).ino).toBe(ino);
  });

  it('is never another one of the same length', async () => {
    await make(`console.log('before')`, 'one');
    expect(run()).toBe('before\n');
    await make(`console.log('beyond')`, 'two');
    expect(run()).toBe('beyond\n');
    expect(compiled()).toHaveLength(2);
  });

  it('is compiled again when what was kept is broken', async () => {
    await make(`console.log('here')`);
    run();
    const path = inFolder(compiled()[0]!);
    const whole = readFileSync(path).length;
    writeFileSync(path, readFileSync(path).subarray(0, 100));
    expect(run()).toBe('here\n');
    expect(readFileSync(path)).toHaveLength(whole);
  });

  it('runs where nothing can be kept', async () => {
    await make(`console.log('here')`);
    run();
    const [name] = compiled();
    rmSync(inFolder(name!));
    // Nothing can be renamed to what is a folder with something in it.
    execFileSync('mkdir', ['-p', join(inFolder(name!), 'full')]);
    expect(run()).toBe('here\n');
    // Nor does what was begun stay.
    expect(compiled()).toEqual([name]);
  });

  it('tells an error by the line of the source, with a map and without', async () => {
    await make(
      `interface Lost { of: string }\n\nfunction fail(lost: Lost): never {\n  throw new RangeError(lost.of);\n}\nfail({ of: 'all' });\n`,
    );
    const failed = spawnSync(process.execPath, [inFolder('program.mjs')], { encoding: 'utf8' });
    expect(failed.status).toBe(1);
    expect(failed.stderr).toContain('RangeError: all\n');
    expect(failed.stderr).toContain(`at fail (${inFolder('program.ts')}:4:9)`);
    rmSync(inFolder('program.cjs.map'));
    const without = spawnSync(process.execPath, [inFolder('program.mjs')], { encoding: 'utf8' });
    expect(without.stderr).toContain('RangeError: all\n');
    expect(without.stderr).toMatch(/at fail \(.*program\.cjs:\d+:\d+\)/);
  });
});
