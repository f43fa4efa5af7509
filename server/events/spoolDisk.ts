/** What the spool asks of a disk; the real one, and in tests one that forgets whatever was not synced. */
import { mkdir, open, readdir, readFile, rename, unlink, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';

export interface SpoolFile {
  append: (bytes: Buffer) => Promise<void>;
  /** Resolves once the bytes are on the disk; an error means that nobody knows whether they are. */
  sync: () => Promise<void>;
  close: () => Promise<void>;
}
export interface SpoolDisk {
  makeFolder: () => Promise<void>;
  /** A new file; refuses a name that is there. */
  create: (name: string) => Promise<SpoolFile>;
  /** Makes the names of new files durable. */
  syncFolder: () => Promise<void>;
  list: () => Promise<string[]>;
  read: (name: string) => Promise<Buffer>;
  remove: (name: string) => Promise<void>;
  /** Renames it, so that it is no spool file any more, and stays for a person to look at. */
  setAside: (name: string) => Promise<void>;
}

export function realDisk(folder: string): SpoolDisk {
  return {
    makeFolder: async () => void (await mkdir(folder, { recursive: true, mode: 0o700 })),
    create: async (name) => spoolFile(await open(join(folder, name), 'ax', 0o600)),
    syncFolder: async () => {
      const handle = await open(folder, 'r');
      await handle.sync().finally(() => handle.close());
    },
    list: () => readdir(folder),
    read: (name) => readFile(join(folder, name)),
    remove: (name) => unlink(join(folder, name)),
    setAside: (name) => rename(join(folder, name), join(folder, `${name}.torn`)),
  };
}

const spoolFile = (handle: FileHandle): SpoolFile => ({
  append: (bytes) => handle.appendFile(bytes),
  sync: () => handle.datasync(),
  close: () => handle.close(),
});
