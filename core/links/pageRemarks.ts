/** What there is to say of a look at a landing page: what is wrong first, then what could be better. */
import type { PageCheck } from '../contract/index.ts';

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
          `The link of button ${b.n} contains one visitor’s click ID. Every click would count for that visitor.`,
        ),
      );
    if (b.found > 0 && !b.secure && (check.secure || secureTracking))
      remarks.push(bad(`The link of button ${b.n} starts with http://. Browsers warn visitors about it.`));
  }
  for (const stray of check.strays)
    remarks.push(bad(`The page contains a button link of another landing page: ${stray}`));
  if (!check.script)
    remarks.push(
      note('The script is not on the page. Tracheon matches clicks by cookie, which some browsers block.'),
    );
  if (!check.secure) remarks.push(note('The page does not use https.'));
  return remarks;
}
