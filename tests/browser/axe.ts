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

/** Rows that have this are not looked at. */
const ALIKE = 'data-alike';

/** Rows of a table that have the same elements, classes and attributes are alike. Two of them are looked at. */
function markAlike(mark: string): void {
  const builtOf = (e: Element): string =>
    [e.tagName, e.getAttribute('class'), ...e.getAttributeNames().filter((name) => name !== mark)].join(' ');
  for (const { rows } of document.querySelectorAll('tbody')) {
    const counts = new Map<string, number>();
    for (const row of rows) {
      const built = [row, ...row.querySelectorAll('*')].map(builtOf).join();
      const count = (counts.get(built) ?? 0) + 1;
      counts.set(built, count);
      row.toggleAttribute(mark, count > 2);
    }
  }
}

export class AxeBuilder {
  constructor(private readonly page: Page) {}

  /** `rule`: that rule alone, where the rest was looked at already. */
  async analyze(rule?: string): Promise<{ violations: string[] }> {
    // Evaluated, not added as a script element: the page's policy forbids inline scripts. It stays until the page is loaded anew.
    if (!(await this.page.evaluate(() => 'axe' in window))) await this.page.evaluate(source);
    await this.page.evaluate(markAlike, ALIKE);
    const result = await this.page.evaluate(
      ([tags, only, alike]) =>
        (window as unknown as { axe: { run: (c: object, o: object) => Promise<Result> } }).axe.run(
          { exclude: [`[${alike}]`] },
          {
            runOnly: only ? { type: 'rule', values: [only] } : { type: 'tag', values: tags },
            // Nobody reads where a rule held.
            resultTypes: ['violations'],
            // No rule here reads style sheets.
            preload: false,
          },
        ),
      [TAGS, rule ?? '', ALIKE] as const,
    );
    if (result.passes.length < (rule ? 1 : 5)) throw new Error('axe looked at nothing');
    return {
      violations: result.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')}`)),
    };
  }
}
