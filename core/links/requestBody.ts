/** The body of a request that we send, with its tokens filled; see core/contract/requestBody.ts. */
import { replaceJsonTokens, type BodyKind } from '../contract/index.ts';
import { compileTemplate, expandTemplate } from '../tokens/index.ts';

/** The value of a token; undefined where there is none. */
export type TokenText = (name: string) => string | undefined;

export const bodyTypes: Record<BodyKind, string> = {
  form: 'application/x-www-form-urlencoded',
  json: 'application/json',
};

/** A number as JSON writes it. */
const NUMBER = /^-?(0|[1-9]\d{0,17})(\.\d{1,18})?$/;

/** Values of a form are encoded as in a link. */
export function fillBody(kind: BodyKind, template: string, valueOf: TokenText): string {
  if (kind === 'form') return expandTemplate(compileTemplate(template), valueOf);
  return replaceJsonTokens(template, (name, isInText) => {
    const value = valueOf(name);
    if (isInText) return JSON.stringify(value ?? '').slice(1, -1);
    if (value === undefined || value === '') return 'null';
    return NUMBER.test(value) ? value : JSON.stringify(value);
  });
}

/** The tokens that a body names, in the order in which they stand. */
export function bodyTokens(kind: BodyKind, template: string): string[] {
  const names: string[] = [];
  fillBody(kind, template, (name) => (names.push(name), '1'));
  return [...new Set(names)];
}
