/** What there is to say of a look at a landing page: what is wrong first, then what could be better. */
import type { PageCheck } from '@tracheon/core/contract';

export interface PageRemark {
  weight: 'bad' | 'note';
  words: string;
}

export function pageRemarks(check: PageCheck, secureTracking: boolean): PageRemark[] {
  const bad = (words: string): PageRemark => ({ weight: 'bad', words });
  const note = (words: string): PageRemark => ({ weight: 'note', words });
  if (check.trouble !== 'ok') return [bad(check.sentence)];
  const remarks: PageRemark[] = [];
  for (const b of check.buttons) {
    if (b.found === 0) remarks.push(bad(`The link of button ${b.n} is not on the page.`));
    if (b.baked)
      remarks.push(
        bad(
          `The link of button ${b.n} carries the click ID of one visitor: every click would count for that one.`,
        ),
      );
    if (b.found > 0 && !b.secure && (check.secure || secureTracking))
      remarks.push(bad(`The link of button ${b.n} begins with http://, browsers warn before it.`));
  }
  for (const stray of check.strays)
    remarks.push(bad(`A button link of another landing page stands there: ${stray}`));
  if (!check.script)
    remarks.push(
      note('The script is not on the page: clicks are matched by cookie, which some browsers refuse.'),
    );
  if (!check.secure) remarks.push(note('The page is not secure (http).'));
  return remarks;
}
