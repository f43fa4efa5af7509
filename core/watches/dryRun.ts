/** What a watch would have found and done at each of its checks of the past: the same steps as live, without doing anything. */
import type { SeenFigure, WatchInput } from '../contract/index.ts';
import { localDay } from '../time/index.ts';
import { isQuiet, nextStep, type NextStep } from './timing.ts';

export interface DryMatch {
  value: string;
  name: string;
  seen: SeenFigure[];
  spentMicros: string;
}
export interface Firing extends DryMatch {
  atMs: number;
  /** null: its conditions hold to the end. */
  endedMs: number | null;
  step: NextStep['step'];
  why: string;
  /** When it would have acted by itself; null: never. */
  actedMs: number | null;
}

export class DryRun {
  readonly firings: Firing[] = [];
  private readonly open = new Map<string, Firing>();
  private readonly lastEnded = new Map<string, number>();
  private readonly actsOfDay = new Map<string, number>();

  constructor(
    private readonly watch: WatchInput,
    private readonly zone: string,
  ) {}

  /** One check; returns the values that would have been acted on by it. */
  check(atMs: number, matched: readonly DryMatch[]): string[] {
    const values = new Set(matched.map((m) => m.value));
    for (const [value, firing] of this.open)
      if (!values.has(value)) {
        firing.endedMs = atMs;
        if (firing.actedMs !== null) this.lastEnded.set(value, atMs);
        this.open.delete(value);
      }
    const due: Firing[] = [];
    for (const match of matched) {
      let firing = this.open.get(match.value);
      const isNew = firing === undefined;
      if (!firing) {
        firing = { ...match, atMs, endedMs: null, step: 'none', why: '', actedMs: null };
        this.open.set(match.value, firing);
        this.firings.push(firing);
      }
      if (isNew || firing.step === 'put_off') due.push(firing);
    }
    return this.act(atMs, due);
  }

  /** The costliest first, as live. */
  private act(atMs: number, due: readonly Firing[]): string[] {
    const day = localDay(atMs, this.zone);
    const acted: string[] = [];
    for (const firing of [...due].sort((a, b) => Number(b.spentMicros) - Number(a.spentMicros))) {
      const ground = {
        isQuiet: isQuiet(this.watch, atMs, this.zone),
        actsToday: this.actsOfDay.get(day) ?? 0,
        lastEndedMs: this.lastEnded.get(firing.value) ?? null,
        doubt: '',
      };
      const next = nextStep(this.watch, ground, atMs);
      firing.step = next.step;
      firing.why = 'why' in next ? next.why : '';
      if (next.step !== 'act') continue;
      firing.actedMs = atMs;
      this.actsOfDay.set(day, ground.actsToday + 1);
      acted.push(firing.value);
    }
    return acted;
  }
}

/** Moments of the checks in a stretch of the past, in step backwards from its end; at most so many, the latest ones. */
export function dryMoments(
  { everyMinutes }: Pick<WatchInput, 'everyMinutes'>,
  fromMs: number,
  toMs: number,
  most: number,
): number[] {
  const every = everyMinutes * 60_000;
  const count = Math.min(most, Math.floor((toMs - fromMs) / every) + 1);
  return Array.from({ length: count }, (_, i) => toMs - (count - 1 - i) * every);
}
