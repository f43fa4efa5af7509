/** axe-core run inside the page; each violation as its rule and the places. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from '@playwright/test';

const source = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const TAGS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

interface Result {
  violations: { id: string; nodes: { target: unknown[] }[] }[];
  passes: unknown[];
}

export class AxeBuilder {
  constructor(private readonly page: Page) {}

  /** `rule`: that rule alone, where the rest was looked at already. */
  async analyze(rule?: string): Promise<{ violations: string[] }> {
    // Evaluated, not added as a script element: the page's policy forbids inline scripts.
    await this.page.evaluate(source);
    const result = await this.page.evaluate(
      ([tags, only]) =>
        (window as unknown as { axe: { run: (o: object) => Promise<Result> } }).axe.run({
          runOnly: only ? { type: 'rule', values: [only] } : { type: 'tag', values: tags },
          // Nobody reads where a rule held.
          resultTypes: ['violations'],
          // No rule here reads style sheets.
          preload: false,
        }),
      [TAGS, rule ?? ''] as const,
    );
    if (result.passes.length < (rule ? 1 : 5)) throw new Error('axe looked at nothing');
    return {
      violations: result.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')}`)),
    };
  }
}
