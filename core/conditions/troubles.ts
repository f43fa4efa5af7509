/** What a condition's schema cannot see: patterns and ranges that are none. */
import { eachLeaf, type Condition } from '../contract/index.ts';
import { compilePattern, compileRanges } from './compare.ts';

export interface ConditionTrouble {
  /** Inside the condition. */
  path: string;
  message: string;
}

export function conditionTroubles(condition: Condition): ConditionTrouble[] {
  const found: ConditionTrouble[] = [];
  eachLeaf(condition, [], ({ op, values }, at) => {
    const check = (compile: (value: string) => unknown, says: string): void => {
      const bad = values.find((value) => isRefused(() => compile(value)));
      if (bad !== undefined) found.push({ path: [...at, 'values'].join('.'), message: `“${bad}” ${says}` });
    };
    if (op === 'matches')
      check(compilePattern, 'is not a pattern. Look-around and back-references are not supported.');
    if (op === 'within')
      check(
        (value) => compileRanges([value]),
        'is neither an IP address nor a range. Write 192.0.2.7 or 192.0.2.0/24.',
      );
  });
  return found;
}

function isRefused(compile: () => unknown): boolean {
  try {
    compile();
    return false;
  } catch {
    return true;
  }
}
