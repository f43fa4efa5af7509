/** Ways to look at Numbers that a desk keeps under a name: levels, filters, order and period, as they stand in the link. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { nothing } from './endpoint.ts';
import { isoTime, recordId, recordName } from './primitives.ts';

/** A link with that many filters is longer than any that is meant. */
const MAX_QUERY = 8000;
export const MAX_VIEWS = 200;

export const viewInput = z.object({
  name: recordName,
  /** Parameters of the page's address, such as `by=sub_site&having=spentMicros%3E20`. */
  query: z.string().min(1).max(MAX_QUERY),
});
export const viewRow = viewInput.extend({ id: recordId, by: z.string(), at: isoTime });
export type ViewRow = z.infer<typeof viewRow>;

export const viewEndpoints = {
  listViews: {
    method: 'get',
    path: '/views',
    group: 'Reports',
    summary: 'Views of Numbers that this desk has saved, by name.',
    least: 'viewer',
    answer: z.array(viewRow),
  },
  saveView: {
    method: 'post',
    path: '/views',
    group: 'Reports',
    summary: 'Save a view of Numbers. A view of the same name is replaced.',
    least: 'editor',
    body: viewInput,
    answer: viewRow,
  },
  removeView: {
    method: 'delete',
    path: '/views/{id}',
    group: 'Reports',
    summary: 'Delete a saved view.',
    least: 'editor',
    answer: nothing,
  },
} as const satisfies Record<string, Endpoint>;
