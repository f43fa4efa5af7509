/** A link as one visit would fill it, for a look before anybody is sent: the address, and which of its tokens stay empty. */
import { compileTemplate, expandTemplate, type TokenValue } from '../tokens/index.ts';
import { visitToken, type PartNames, type TokenVisit } from '../visits/index.ts';
import { compileLink, destination } from './destination.ts';

export interface FilledLink {
  /** null: the link can't be used, or what fills it would lead to another host. */
  url: string | null;
  /** Tokens that this visit has nothing for. */
  empty: string[];
}

const emptyIn = (names: readonly string[], valueOf: (name: string) => TokenValue): string[] =>
  names.filter((name) => {
    const value = valueOf(name);
    return value === undefined || value === '';
  });

export function filledLink(link: string, names: PartNames, visit: TokenVisit): FilledLink {
  try {
    const compiled = compileLink(link, 'link');
    return {
      url: destination(compiled, names, visit),
      empty: emptyIn(compiled.template.names, visitToken(names, visit)),
    };
  } catch {
    return { url: null, empty: [] };
  }
}

/** A postback to the source, with what a conversion adds by token name. */
export function filledPostback(
  template: string,
  names: PartNames,
  visit: TokenVisit,
  conversion: ReadonlyMap<string, string>,
): FilledLink {
  const ofVisit = visitToken(names, visit);
  const valueOf = (name: string): TokenValue => conversion.get(name) ?? ofVisit(name);
  const compiled = compileTemplate(template);
  return { url: expandTemplate(compiled, valueOf), empty: emptyIn(compiled.names, valueOf) };
}
