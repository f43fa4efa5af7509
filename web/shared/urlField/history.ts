/** One undo for a text that is edited in several places: typing in quick succession is one step. */
const QUICK_MS = 600;
const MAX_STEPS = 200;

export class History {
  private past: string[] = [];
  private future: string[] = [];
  private lastMs = -Infinity;

  constructor(private now: string) {}

  get text(): string {
    return this.now;
  }

  /** `whole` for a change that is a step by itself, such as a fix. */
  change(text: string, atMs: number, whole = false): void {
    if (text === this.now) return;
    if (whole || atMs - this.lastMs > QUICK_MS || this.past.length === 0) {
      this.past.push(this.now);
      if (this.past.length > MAX_STEPS) this.past.shift();
    }
    this.lastMs = whole ? -Infinity : atMs;
    this.future = [];
    this.now = text;
  }

  undo(): string | null {
    const before = this.past.pop();
    if (before === undefined) return null;
    this.future.push(this.now);
    this.lastMs = -Infinity;
    return (this.now = before);
  }

  redo(): string | null {
    const after = this.future.pop();
    if (after === undefined) return null;
    this.past.push(this.now);
    this.lastMs = -Infinity;
    return (this.now = after);
  }
}
