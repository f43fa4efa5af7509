/**
 * How long answers took, counted in buckets, as Prometheus' histogram has them. Counted by hand: it happens at each
 * visit, and the library's way costs more than finding the campaign.
 */
export class Durations {
  private readonly counts: Float64Array;
  private sum = 0;

  constructor(
    /** Upper bounds in seconds, ascending. */
    private readonly bounds: readonly number[],
  ) {
    this.counts = new Float64Array(bounds.length + 1);
  }

  observe(seconds: number): void {
    let at = 0;
    while (at < this.bounds.length && seconds > this.bounds[at]!) at += 1;
    this.counts[at]! += 1;
    this.sum += seconds;
  }

  /** Lines of the text format: cumulative buckets, sum and count. */
  lines(name: string, label: string): string[] {
    let so = 0;
    const buckets = [...this.counts].map((n, i) => {
      so += n;
      return `${name}_bucket{${label},le="${this.bounds[i] ?? '+Inf'}"} ${so}`;
    });
    return [...buckets, `${name}_sum{${label}} ${this.sum}`, `${name}_count{${label}} ${so}`];
  }
}
