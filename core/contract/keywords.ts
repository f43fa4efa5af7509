/** Lists of keywords that a desk keeps, for links that carry them. */
import { z } from 'zod';
import { type Endpoint, nothing } from './endpoint.ts';
import { recordId, recordName } from './primitives.ts';

export const MAX_KEYWORD_LISTS = 200;
export const keywordListInput = z.object({
  name: recordName,
  words: z
    .array(z.string().trim().min(1).max(200, 'At most 200 characters.'))
    .min(1, 'Enter at least one keyword.')
    .max(200, 'At most 200 keywords.'),
});
export const keywordList = keywordListInput.extend({ id: recordId });
export type KeywordList = z.infer<typeof keywordList>;

export const keywordEndpoints = {
  listKeywords: {
    method: 'get',
    path: '/keyword-lists',
    group: 'Parts',
    summary: 'Keyword lists of this desk, by name.',
    least: 'viewer',
    answer: z.array(keywordList),
  },
  saveKeywords: {
    method: 'post',
    path: '/keyword-lists',
    group: 'Parts',
    summary: 'Save a keyword list. A list of the same name is replaced.',
    least: 'editor',
    body: keywordListInput,
    answer: keywordList,
  },
  removeKeywords: {
    method: 'delete',
    path: '/keyword-lists/{id}',
    group: 'Parts',
    summary: 'Delete a keyword list. Links that were made with it stay as they are.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
