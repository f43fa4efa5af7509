/**
 * A map that forgets: two generations, of which the older one goes once the younger is full. It holds the newest keys, at
 * least half of `max` and at most all of it, and needs no memory before they come. An LRU of 400 000 entries takes 120 ms of
 * every start for its empty tables, and more time at each key for an order that nobody asks for here.
 */
export class RecentKeys<V> {
  private young = new Map<string, V>();
  private old = new Map<string, V>();

  constructor(private readonly max: number) {}

  get(key: string): V | undefined {
    return this.young.get(key) ?? (this.old.size === 0 ? undefined : this.old.get(key));
  }

  set(key: string, value: V): void {
    this.young.set(key, value);
    if (this.young.size * 2 < this.max) return;
    this.old = this.young;
    this.young = new Map();
  }

  clear(): void {
    this.young = new Map();
    this.old = new Map();
  }

  get size(): number {
    return this.young.size + this.old.size;
  }
}
