/** One desk put into the snapshot in place of what it was before, or taken out of it. The other desks stay as they are. */
import type { CompiledDesk } from './compileDesk.ts';
import { lookupNames, type Lookups, type Snapshot } from './compiled.ts';

export function putDesk(snapshot: Snapshot, before: CompiledDesk | null, desk: CompiledDesk): Snapshot {
  return replaced(snapshot, before, desk, new Map(snapshot.versions).set(desk.deskId, desk.version));
}

export function takeDesk(snapshot: Snapshot, before: CompiledDesk): Snapshot {
  const versions = new Map(snapshot.versions);
  versions.delete(before.deskId);
  return replaced(snapshot, before, null, versions);
}

function replaced(
  snapshot: Snapshot,
  before: CompiledDesk | null,
  after: CompiledDesk | null,
  versions: Snapshot['versions'],
): Snapshot {
  const deskId = (after ?? before)!.deskId;
  const joined = Object.fromEntries(
    lookupNames.map((name) => [name, exchanged(snapshot[name], before?.[name], after?.[name])]),
  ) as unknown as Lookups;
  return Object.freeze({
    ...joined,
    versions,
    broken: [...snapshot.broken.filter((b) => b.deskId !== deskId), ...(after?.broken ?? [])],
  });
}

function exchanged(
  all: ReadonlyMap<string, unknown>,
  before: ReadonlyMap<string, unknown> = new Map(),
  after: ReadonlyMap<string, unknown> = new Map(),
): ReadonlyMap<string, unknown> {
  const next = new Map(all);
  for (const key of before.keys()) if (!after.has(key)) next.delete(key);
  for (const [key, value] of after) next.set(key, value);
  return next;
}
