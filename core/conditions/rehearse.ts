/** One visitor held against every branch, with the answer of each condition: the plain evaluator, so that it can be explained. */
import type { Condition, Routing } from '../contract/index.ts';
import { holds } from './evaluate.ts';
import type { RoutingVisitor } from './visitor.ts';

export interface RehearsedBranch {
  branchId: string;
  answer: 'matches' | 'doesn’t match' | 'not asked';
  /** The parts of its condition, each with its own answer; of a branch that is asked only. */
  parts: { condition: Condition; holds: boolean }[];
}
export interface Rehearsed {
  /** Its place from 1; 0 for *otherwise*. */
  number: number;
  branches: RehearsedBranch[];
}

/** `zone` is the desk's. A condition that is still being typed holds for nobody. */
export function rehearse(routing: Routing, visitor: RoutingVisitor, zone: string): Rehearsed {
  let number = 0;
  const branches = routing.branches.map((b, i): RehearsedBranch => {
    if (number > 0) return { branchId: b.id, answer: 'not asked', parts: [] };
    const list = 'all' in b.when ? b.when.all : 'any' in b.when ? b.when.any : [b.when];
    const parts = list.map((condition) => ({ condition, holds: certainly(condition, visitor, zone) }));
    const isTaken = certainly(b.when, visitor, zone);
    if (isTaken) number = i + 1;
    return { branchId: b.id, answer: isTaken ? 'matches' : 'doesn’t match', parts };
  });
  return { number, branches };
}

function certainly(condition: Condition, visitor: RoutingVisitor, zone: string): boolean {
  try {
    return holds(condition, visitor, zone);
  } catch {
    // A pattern or a range that is none yet.
    return false;
  }
}
