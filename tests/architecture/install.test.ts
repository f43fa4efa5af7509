/** What is missing is installed: from what npm has already, and if that is too old, by asking for it. */
import { spawnSync } from 'node:child_process';
import {
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from '@jest/globals';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'tracheon-install-'));
  for (const name of ['install.mjs', 'chromium.mjs'])
    cpSync(join('scripts', name), join(folder, 'scripts', name));
  writeFileSync(join(folder, 'package-lock.json'), '{}');
  mkdirSync(join(folder, 'node_modules'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** With an npm in its place that writes down what it is asked, and fails on whatever `fails` names. */
function install(fails: string): { status: number | null; output: string; asked: string[] } {
  const npm = join(folder, 'npm');
  const asked = join(folder, 'asked');
  writeFileSync(
    npm,
    `#!/bin/sh\necho "$@" >> ${asked}\ncase "$*" in ${fails}) echo 'No matching version found' >&2; exit 1;; esac\n`,
  );
  chmodSync(npm, 0o755);
  const code = `import('${folder}/scripts/install.mjs').then((m) => m.ensurePackages()).catch((e) => { console.error(e.message); process.exitCode = 1; })`;
  const env = { ...process.env, PATH: `${folder}:${process.env.PATH}` };
  const { status, stderr } = spawnSync(process.execPath, ['-e', code], { env, encoding: 'utf8' });
  const lines = existsSync(asked) ? readFileSync(asked, 'utf8').trim().split('\n') : [];
  return { status, output: stderr, asked: lines };
}

it('takes what npm has already, once', () => {
  const first = install('nothing');
  expect([first.status, first.asked.length]).toEqual([0, 1]);
  expect(first.asked[0]).toContain('--prefer-offline');
  expect(install('nothing').asked).toHaveLength(1);
});

it('asks for newer versions when those that npm has are too old', () => {
  const { status, asked } = install('*--prefer-offline*');
  expect(status).toBe(0);
  expect(asked.map((line) => line.includes('--prefer-offline'))).toEqual([true, false]);
});

it('says why nothing could be installed', () => {
  const { status, output } = install('*');
  expect(status).toBe(1);
  expect(output).toContain('npm ci failed: No matching version found');
});
