/** Where a campaign's visits go: branches in order, each with a condition and a split over pairings of a page and its offers. */
import { z } from 'zod';
import { conditionField, conditionOps, opsOf, weekdays, NO, YES } from '../visits/index.ts';
import { MAX_BUTTONS } from './landingPages.ts';
import { isoTime, recordId, recordName, zoneName } from './primitives.ts';
import { orEmpty } from './texts.ts';

/** More would be read by nobody; what is compiled stays small. */
export const MAX_BRANCHES = 100;
export const MAX_PAIRINGS = 100;
/** Of one branch, all its groups together. */
export const MAX_CONDITIONS = 100;
export const MAX_CONDITION_DEPTH = 5;
export const MAX_CONDITION_VALUES = 1000;
export const MAX_CONDITION_TEXT = 256;
export const MAX_WEIGHT = 10_000;

export interface ConditionLeaf {
  /** A field of `conditionFields`, or `sub_<name>`. */
  on: string;
  op: (typeof conditionOps)[number];
  /** One of them is enough. An empty text is what is not known. */
  values: string[];
  /** Of an hour or a weekday; empty: the desk's. */
  zone: string;
}
export type Condition = { all: Condition[] } | { any: Condition[] } | { not: Condition } | ConditionLeaf;

const leaf = z.strictObject({
  on: z.string().max(80),
  op: z.enum(conditionOps),
  values: z
    .array(z.string().max(MAX_CONDITION_TEXT))
    .min(1, 'Choose at least one value.')
    .max(MAX_CONDITION_VALUES, `Choose at most ${MAX_CONDITION_VALUES} values.`),
  zone: orEmpty(zoneName).default(''),
});
/** What the comparison says of its values; empty when nothing is wrong. */
function leafProblem({ on, op, values }: ConditionLeaf): string {
  const field = conditionField(on);
  if (!field) return `A condition can’t ask for “${on}”.`;
  const { kind, label } = field;
  if (!opsOf[kind].includes(op)) return `“${label}” can’t be compared by “${op.replace('_', ' ')}”.`;
  const bad = (isGood: (value: string) => boolean, says: string): string => {
    const wrong = values.find((v) => !isGood(v));
    return wrong === undefined ? '' : `“${wrong}” ${says}`;
  };
  if (op === 'contains' || op === 'matches') return bad((v) => v !== '', 'is empty. Enter a text.');
  if (op === 'at_least' || op === 'below') {
    if (values.length > 1) return `Enter one value for “${label}”.`;
    return kind === 'version'
      ? bad((v) => /^\d{1,9}(\.\d{1,9}){0,4}$/.test(v), 'is not a version. Write 17 or 17.4.')
      : bad((v) => /^\d{1,15}$/.test(v), 'is not an amount.');
  }
  if (kind === 'offers') return bad((v) => v !== '', 'is no offer.');
  if (kind === 'flag') return bad((v) => v === YES || v === NO, 'is neither yes nor no.');
  if (kind === 'hour') return bad((v) => /^([0-9]|1[0-9]|2[0-3])$/.test(v), 'is not an hour from 0 to 23.');
  if (kind === 'weekday') return bad((v) => (weekdays as readonly string[]).includes(v), 'is not a weekday.');
  return '';
}

/** Requests nest only so deep before they are parsed; how deep conditions may nest is asked afterwards. */
const tree: z.ZodType<Condition> = z.lazy(() => {
  const list = z.array(tree).min(1, 'Add a condition.').max(MAX_CONDITIONS);
  return z.union([
    z.strictObject({ all: list }),
    z.strictObject({ any: list }),
    z.strictObject({ not: tree }),
    leaf,
  ]);
});

export const leavesOf = (condition: Condition): ConditionLeaf[] => {
  if ('all' in condition) return condition.all.flatMap(leavesOf);
  if ('any' in condition) return condition.any.flatMap(leavesOf);
  return 'not' in condition ? leavesOf(condition.not) : [condition];
};

const depthOf = (c: Condition): number => {
  if ('all' in c) return 1 + Math.max(...c.all.map(depthOf));
  if ('any' in c) return 1 + Math.max(...c.any.map(depthOf));
  return 'not' in c ? 1 + depthOf(c.not) : 0;
};

/** Calls back with each comparison and where it stands. */
export function eachLeaf(
  c: Condition,
  path: (string | number)[],
  take: (l: ConditionLeaf, at: (string | number)[]) => void,
): void {
  if ('all' in c) c.all.forEach((inner, i) => eachLeaf(inner, [...path, 'all', i], take));
  else if ('any' in c) c.any.forEach((inner, i) => eachLeaf(inner, [...path, 'any', i], take));
  else if ('not' in c) eachLeaf(c.not, [...path, 'not'], take);
  else take(c, path);
}

export const condition = tree.superRefine((c, ctx) => {
  const issue = (message: string, path: (string | number)[] = []): void =>
    ctx.addIssue({ code: 'custom', path, message });
  if (depthOf(c) > MAX_CONDITION_DEPTH) issue(`Conditions nest at most ${MAX_CONDITION_DEPTH} levels deep.`);
  if (leavesOf(c).length > MAX_CONDITIONS) issue(`A branch has at most ${MAX_CONDITIONS} conditions.`);
  eachLeaf(c, [], (l, at) => {
    const message = leafProblem(l);
    if (message !== '') issue(message, [...at, 'values']);
  });
});

/** Stands in cookies of visitors, so it is of letters that need no encoding. */
const wayId = z.string().regex(/^[\w-]{1,40}$/, 'An ID has letters, digits, - and _.');

export const pairing = z.object({
  /** Stays when the pairing is changed: returning visitors and figures go by it. */
  id: wayId,
  /** Empty: straight to the offer. */
  landingPageId: z.string().max(26).default(''),
  /** One that all buttons of the page lead to; or one for each button, in their order. */
  offerIds: z
    .array(recordId)
    .min(1, 'Choose the offer.')
    .max(MAX_BUTTONS, `A page has at most ${MAX_BUTTONS} buttons.`),
  weight: z
    .int('Enter a whole number.')
    .min(0, 'Enter zero or more.')
    .max(MAX_WEIGHT, `Enter at most ${MAX_WEIGHT}.`)
    .default(1),
  isOn: z.boolean().default(true),
  /** Moments between which it takes visitors; empty: at any time. */
  from: orEmpty(isoTime).default(''),
  to: orEmpty(isoTime).default(''),
});
export type Pairing = z.infer<typeof pairing>;

/** By the typed weights, all alike, or more often what earns more. */
export const splitKinds = ['weights', 'even', 'automatic'] as const;

const way = z.object({
  split: z.enum(splitKinds).default('weights'),
  pairings: z
    .array(pairing)
    .min(1, 'Add a pairing.')
    .max(MAX_PAIRINGS, `A branch has at most ${MAX_PAIRINGS} pairings.`),
});
/** Where the visits of a branch, or all the rest, go. */
export type Way = z.infer<typeof way>;

export const branch = way.extend({
  id: wayId,
  name: recordName,
  when: condition,
});
export type Branch = z.infer<typeof branch>;

export const routing = z
  .object({
    /** In the order in which they are tried. */
    branches: z
      .array(branch)
      .max(MAX_BRANCHES, `A campaign has at most ${MAX_BRANCHES} branches.`)
      .default([]),
    otherwise: way,
  })
  .superRefine((r, ctx) => {
    const ids = new Set<string>();
    const once = (id: string, path: (string | number)[]): void => {
      if (ids.has(id)) ctx.addIssue({ code: 'custom', path, message: 'This ID appears twice.' });
      ids.add(id);
    };
    const each = (p: Pairing, path: (string | number)[]): void => {
      once(p.id, [...path, 'id']);
      if (p.from !== '' && p.to !== '' && Date.parse(p.to) <= Date.parse(p.from))
        ctx.addIssue({
          code: 'custom',
          path: [...path, 'to'],
          message: 'The end must come after the start.',
        });
      if (p.offerIds.length > 1 && p.landingPageId === '')
        ctx.addIssue({
          code: 'custom',
          path: [...path, 'offerIds'],
          message: 'Several offers need a landing page with a button for each.',
        });
    };
    r.branches.forEach((b, i) => {
      once(b.id, ['branches', i, 'id']);
      b.pairings.forEach((p, j) => each(p, ['branches', i, 'pairings', j]));
    });
    r.otherwise.pairings.forEach((p, j) => each(p, ['otherwise', 'pairings', j]));
  });
export type Routing = z.infer<typeof routing>;
