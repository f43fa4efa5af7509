import type { DeskTables, Seen } from './indexFile.ts';

/** Found once for all questions until something is written to the desk. */
export async function onceWritten<T>(tables: DeskTables, name: string, find: () => Promise<T>): Promise<T> {
  // What is written meanwhile has a memory of its own.
  const { found } = tables;
  if (!found.has(name)) found.set(name, await find());
  return found.get(name) as T;
}

/** Found once for all questions until something other than visits is written; it may have more than is there now. */
export async function everSeen(
  tables: DeskTables,
  name: keyof Seen,
  find: () => Promise<readonly string[]>,
): Promise<ReadonlySet<string>> {
  // What is written meanwhile has a memory of its own.
  const { seen } = tables;
  return (seen[name] ??= new Set(await find()));
}
