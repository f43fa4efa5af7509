/** A request to a source about one finding, filled. */
import { replaceJsonTokens, type WatchRequest } from '../contract/index.ts';
import { compileTemplate, expandTemplate } from '../tokens/index.ts';

/** What can stand in braces in its URL and body. */
export const requestTokens = {
  value: 'what was found: the value of the sub-ID, or the ID of the record',
  name: 'what screens call it',
  watch: 'the watch’s name',
  finding_id: 'the finding’s ID, the same each time the request is sent',
  spent: 'what it cost, in the desk’s currency',
} as const;
export type RequestToken = keyof typeof requestTokens;
export type RequestValues = Record<RequestToken, string>;

export interface FilledRequest {
  url: string;
  /** null: it is a GET. */
  body: { type: string; text: string } | null;
}

/** Tokens that there are not; the form says so before it is saved. */
export function unknownRequestTokens({ url, body }: Pick<WatchRequest, 'url' | 'body'>): string[] {
  const names = new Set(compileTemplate(url).names);
  replaceJsonTokens(body, (name) => {
    names.add(name);
    return '';
  });
  return [...names].filter((n) => !Object.hasOwn(requestTokens, n));
}

export function fillRequest({ method, url, body }: WatchRequest, values: RequestValues): FilledRequest {
  const of = (name: string): string | undefined =>
    Object.hasOwn(values, name) ? values[name as RequestToken] : undefined;
  const filled = expandTemplate(compileTemplate(url), of);
  if (method === 'get') return { url: filled, body: null };
  if (method === 'form')
    return {
      url: filled,
      body: { type: 'application/x-www-form-urlencoded', text: expandTemplate(compileTemplate(body), of) },
    };
  const json = replaceJsonTokens(body, (name, isInText) => {
    const text = of(name) ?? '';
    if (isInText) return JSON.stringify(text).slice(1, -1);
    return /^-?\d+(\.\d+)?$/.test(text) ? text : 'null';
  });
  return { url: filled, body: { type: 'application/json', text: json } };
}
