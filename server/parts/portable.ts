/** Records of Parts in and out as one file. An import is all or nothing; a dry run does everything and keeps nothing. */
import type { Transaction } from 'sequelize';
import {
  PORTABLE_VERSION,
  portableFile,
  type ImportAnswer,
  type ImportRow,
  type PartKind,
  type PortableFile,
  type PortablePart,
} from '@tracheon/core/contract';
import { makingOrder, replaceReferences, toPortable, unknownFields } from '@tracheon/core/parts';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { listParts, type Editor } from './partRecords.ts';
import { makePart } from './partsStore.ts';

export async function exportParts(
  models: Models,
  deskId: string,
  ids: readonly string[],
): Promise<PortableFile> {
  const all = await listParts(models, deskId);
  const wanted = new Set(ids);
  return toPortable(
    all.filter((p) => wanted.has(p.id)),
    all,
  );
}

/** Thrown to undo a dry run, or an import of which a row was refused. */
class Undo extends Error {}

export async function importParts(
  models: Models,
  by: Editor,
  raw: unknown,
  existing: 'refuse' | 'skip',
  dryRun: boolean,
): Promise<ImportAnswer> {
  const parts = readFile(raw);
  let rows: ImportRow[] = [];
  try {
    await inTransaction(models, async (transaction) => {
      rows = await makeAll(models, by, parts, existing, transaction);
      if (dryRun || rows.some((r) => r.action === 'refused')) throw new Undo();
      await bumpConfiguration(models, by.deskId, transaction);
    });
    return { done: true, rows };
  } catch (error) {
    if (error instanceof Undo) return { done: false, rows };
    throw error;
  }
}

/** A file of a newer version is refused as a whole, before anything in it is misread. */
function readFile(raw: unknown): PortablePart[] {
  const version = (raw as { version?: unknown } | null)?.version;
  if (typeof version === 'number' && version > PORTABLE_VERSION)
    throw new Problem('invalid_input', {
      fields: [{ path: 'file.version', message: 'This file was made by a newer version of Tracheon.' }],
    });
  const { parts } = parseInput(portableFile, raw);
  return parts;
}

/** What is there by kind and name in small letters: on the desk, and made so far. */
type Known = Map<string, string>;
const keyOf = (kind: PartKind, name: string): string => `${kind}|${name.trim().toLowerCase()}`;

async function makeAll(
  models: Models,
  by: Editor,
  parts: readonly PortablePart[],
  existing: 'refuse' | 'skip',
  transaction: Transaction,
): Promise<ImportRow[]> {
  const known: Known = new Map();
  for (const p of await listParts(models, by.deskId, undefined, transaction))
    if (p.state !== 'archived') known.set(keyOf(p.kind, p.body.name), p.id);
  const before = new Set(known.keys());
  const rows = parts.map((p): ImportRow => ({
    kind: p.kind,
    name: p.body.name,
    action: 'create',
    errors: [],
    unread: unknownFields(p.kind, p.body),
  }));
  const inFile = new Set<string>();
  const waiting = new Set<number>();
  for (const [i, p] of parts.entries()) {
    const key = keyOf(p.kind, p.body.name);
    if (inFile.has(key)) refuse(rows[i]!, 'name', 'This name appears twice in the file.');
    else if (before.has(key) && existing === 'skip') rows[i]!.action = 'skip';
    else waiting.add(i);
    inFile.add(key);
  }
  for (const kind of makingOrder) await makeKind(models, by, kind, parts, rows, waiting, known, transaction);
  return rows;
}

const refuse = (row: ImportRow, path: string, message: string): void => {
  row.action = 'refused';
  row.errors.push({ path, message });
};

/** Round after round, since an offer may fall back on one that stands further down. */
async function makeKind(
  models: Models,
  by: Editor,
  kind: PartKind,
  parts: readonly PortablePart[],
  rows: ImportRow[],
  waiting: Set<number>,
  known: Known,
  transaction: Transaction,
): Promise<void> {
  const ofKind = [...waiting].filter((i) => parts[i]!.kind === kind);
  let progress = true;
  while (ofKind.length > 0 && progress) {
    progress = false;
    for (const i of [...ofKind]) {
      const missing: { path: string; message: string }[] = [];
      const body = replaceReferences(kind, parts[i]!.body, (name, to, path) => {
        const id = known.get(keyOf(to, name));
        if (id === undefined)
          missing.push({
            path,
            message: `The ${to.replace('-', ' ')} “${name}” exists neither on this desk nor in the file.`,
          });
        return id ?? '';
      });
      const row = rows[i]!;
      row.errors = missing;
      if (missing.length > 0) continue;
      progress = true;
      ofKind.splice(ofKind.indexOf(i), 1);
      waiting.delete(i);
      await makeOne(models, by, kind, body, row, known, transaction);
    }
  }
  for (const i of ofKind) rows[i]!.action = 'refused';
}

/** Behind a savepoint, so that one that is refused leaves the transaction usable for the rest of the look. */
async function makeOne(
  models: Models,
  by: Editor,
  kind: PartKind,
  body: Record<string, unknown>,
  row: ImportRow,
  known: Known,
  transaction: Transaction,
): Promise<void> {
  try {
    const made = await models.sequelize.transaction({ transaction }, (inner) =>
      makePart(models, by, kind, body, inner),
    );
    known.set(keyOf(kind, row.name), made.id);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    const fields = error.more.fields ?? [{ path: '', message: error.message }];
    for (const f of fields) refuse(row, f.path, f.message);
  }
}
