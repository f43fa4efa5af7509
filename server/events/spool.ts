/**
 * The spool: where a row waits on disk while the database does not take it.
 *
 * Contract
 *  - `append` resolves once the row is on disk (fdatasync; the folder is synced when a file is made). Rows that come
 *    while a sync is under way share the next one.
 *  - It rejects with SpoolFailed when the row could not be made durable. A failed write or sync condemns the file:
 *    after a failed fsync nobody knows what is on disk, so it is never written again; what was acknowledged before
 *    stays and is loaded like any other.
 *  - `rotate` ends the current file, so that it can be loaded; the next row opens a new one.
 *  - Names carry the instance that writes them. Files of an instance that is dead are adopted; those of one that lives
 *    are its own affair, since it may still be writing.
 */
import { encodeRecord } from './spoolFormat.ts';
import type { SpoolDisk, SpoolFile } from './spoolDisk.ts';

export class SpoolFailed extends Error {}

interface Waiting {
  record: Buffer;
  resolve: () => void;
  reject: (error: Error) => void;
}
const SUFFIX = '.spool';
const REST_MS = 500;

export class Spool<T> {
  private file: SpoolFile | null = null;
  private fileName = '';
  private fileNumber = 0;
  private waiting: Waiting[] = [];
  /** True while `writeWaiting` runs; it alone touches the file then. */
  private writing = false;
  /** Whoever waits for the current file to be ended while a write is under way. */
  private rotations: (() => void)[] = [];
  /** Rows of the current file that were acknowledged. */
  private acknowledged = 0;
  /** After a failure nothing is tried for a moment: a full disk would be asked a thousand times a second. */
  private restsUntil = 0;
  private failures = 0;

  /** `kind` names the rows, `instance` this process; both stand in the file names. */
  constructor(
    private readonly disk: SpoolDisk,
    private readonly kind: string,
    private readonly instance: string,
    private readonly encode: (row: T) => string,
    private readonly isAlive: (instance: string) => boolean,
    private readonly now: () => number = Date.now,
  ) {}

  append(row: T): Promise<void> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ record: encodeRecord(this.encode(row)), resolve, reject });
      if (!this.writing) void this.writeWaiting();
    });
  }

  /** Ends the current file and names all that are ready to be loaded. */
  async rotate(): Promise<string[]> {
    await this.endAfterWriting();
    const names = await this.disk.list().catch(() => []);
    return names.filter((name) => this.isReady(name)).sort();
  }

  close(): Promise<void> {
    return this.endAfterWriting();
  }

  private isReady(name: string): boolean {
    if (!name.startsWith(`${this.kind}-`) || !name.endsWith(SUFFIX) || name === this.fileName) return false;
    const instance = name.slice(this.kind.length + 1).replace(/-\d+\.spool$/, '');
    return instance === this.instance || !this.isAlive(instance);
  }

  private async endAfterWriting(): Promise<void> {
    if (this.writing) await new Promise<void>((resolve) => this.rotations.push(resolve));
    else await this.endFile();
  }

  private async writeWaiting(): Promise<void> {
    this.writing = true;
    while (this.waiting.length > 0 || this.rotations.length > 0) {
      await this.writeBatch(this.waiting.splice(0));
      const rotations = this.rotations.splice(0);
      if (rotations.length > 0) await this.endFile();
      for (const done of rotations) done();
    }
    // In the same step as the look at what waits, so that nobody is left waiting.
    this.writing = false;
  }

  private async writeBatch(batch: Waiting[]): Promise<void> {
    if (batch.length === 0) return;
    try {
      if (this.file === null && this.now() < this.restsUntil && this.now() > this.restsUntil - 2 * REST_MS)
        throw new Error('it failed a moment ago');
      this.file ??= await this.openFile();
      await this.file.append(Buffer.concat(batch.map((w) => w.record)));
      await this.file.sync();
      this.acknowledged += batch.length;
      this.failures = 0;
      for (const w of batch) w.resolve();
    } catch (error) {
      this.failures += 1;
      // Once may be this file alone.
      if (this.failures > 1 && this.now() >= this.restsUntil) this.restsUntil = this.now() + REST_MS;
      await this.condemn();
      for (const w of batch) w.reject(new SpoolFailed(`the spool cannot be written: ${String(error)}`));
    }
  }

  /** What was acknowledged before stays to be loaded; a file without any is gone, so that a full disk fills with none. */
  private async condemn(): Promise<void> {
    const [name, isEmpty] = [this.fileName, this.acknowledged === 0];
    await this.endFile();
    if (isEmpty && name !== '') await this.disk.remove(name).catch(() => undefined);
  }

  private async openFile(): Promise<SpoolFile> {
    await this.disk.makeFolder();
    this.acknowledged = 0;
    this.fileName = `${this.kind}-${this.instance}-${String(++this.fileNumber).padStart(6, '0')}${SUFFIX}`;
    const file = await this.disk.create(this.fileName);
    await this.disk.syncFolder();
    return file;
  }

  private async endFile(): Promise<void> {
    const ended = this.file;
    this.file = null;
    this.fileName = '';
    await ended?.close().catch(() => undefined);
  }
}
