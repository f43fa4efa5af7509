/** Searches that visitors made at a practice feed, what they are worth, and which days are closed. */
import { KeptState } from '../page/keptState.ts';

const MAX_SEARCHES = 20_000;
const CENT_MICROS = 10_000;
/** Estimates leave out what fraud checks may take away. */
const ESTIMATED_SHARE = 0.9;

export interface Search {
  id: number;
  day: string;
  query: string;
  subs: Record<string, string>;
  /** A result was clicked. */
  isClicked?: boolean;
}
interface State {
  searches: Search[];
  /** Days that were closed by hand before they were over. */
  closed: string[];
}

/** 5 to 44 cents; the same search always the same. */
function worth({ subs, query }: Search, of: 'search' | 'click'): number {
  let hash = of === 'search' ? 7 : 11;
  for (const c of query + Object.values(subs).join()) hash = (hash * 31 + c.charCodeAt(0)) % 100_003;
  return (5 + (hash % 40)) * CENT_MICROS;
}

export class Searches {
  private readonly kept: KeptState<State>;
  constructor(
    stateFile: string | null,
    private readonly now: () => number,
  ) {
    this.kept = new KeptState<State>(stateFile, { searches: [], closed: [] });
  }
  get today(): string {
    return new Date(this.now()).toISOString().slice(0, 10);
  }
  /** `asked`: the query of the address, of which `q` is what was searched for. */
  add(asked: Record<string, unknown>): Search {
    const { q = '', ...subs } = Object.fromEntries(
      Object.entries(asked).map(([name, value]) => [name.slice(0, 40), String(value).slice(0, 200)]),
    );
    const id = 1 + (this.kept.value.searches.at(-1)?.id ?? 0);
    const search = { id, day: this.today, query: q, subs };
    this.kept.value.searches = [...this.kept.value.searches, search].slice(-MAX_SEARCHES);
    this.kept.changed();
    return search;
  }
  click(id: number): void {
    const search = this.kept.value.searches.find((s) => s.id === id);
    if (search) search.isClicked = true;
    this.kept.changed();
  }
  ofDay(day: string): Search[] {
    return this.kept.value.searches.filter((s) => s.day === day);
  }
  isFinal(day: string): boolean {
    return day < this.today || this.kept.value.closed.includes(day);
  }
  close(): void {
    this.kept.value.closed = [...new Set([...this.kept.value.closed, this.today])];
    this.kept.changed();
  }
  /** In micro-units; of a click only once there is one. */
  revenue(search: Search, of: 'search' | 'click' = 'search'): number {
    if (of === 'click' && !search.isClicked) return 0;
    const whole = worth(search, of);
    return this.isFinal(search.day)
      ? whole
      : Math.round((whole * ESTIMATED_SHARE) / CENT_MICROS) * CENT_MICROS;
  }
  stop(): void {
    this.kept.write();
  }
}

export const units = (micros: number): string => (micros / 1e6).toFixed(6);
