import { getPriority, setPriority } from 'node:os';

/** Gives this process at most the priority `nice`. Whoever runs lower already stays there: raising it takes rights. */
export function lowerPriority(nice: number): void {
  if (getPriority() < nice) setPriority(nice);
}
