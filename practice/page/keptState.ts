/** State of a practice partner: in memory, written to a JSON file a moment after each change. */
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

const WRITE_DELAY_MS = 300;

export class KeptState<T extends object> {
  value: T;
  private timer: NodeJS.Timeout | null = null;

  constructor(
    private readonly file: string | null,
    empty: T,
  ) {
    this.value = empty;
    if (file === null) return;
    try {
      this.value = { ...empty, ...(JSON.parse(readFileSync(file, 'utf8')) as T) };
    } catch {
      // No file yet: it begins empty.
    }
  }

  changed(): void {
    if (this.file !== null) this.timer ??= setTimeout(() => this.write(), WRITE_DELAY_MS).unref();
  }

  write(): void {
    this.timer = null;
    if (this.file === null) return;
    mkdirSync(dirname(this.file), { recursive: true });
    writeFileSync(`${this.file}.new`, JSON.stringify(this.value));
    renameSync(`${this.file}.new`, this.file);
  }
}
