/** The address to which a visitor is sent: compiled from a template, filled from the visit, and held to the template's own host. */
import { compileTemplate, expandTemplate, type CompiledTemplate } from '../tokens/index.ts';
import { visitToken, type PartNames, type TokenVisit } from '../visits/index.ts';

/** Where somebody is sent: a template, and what the address must still begin with once it is expanded. */
export interface CompiledLink {
  template: CompiledTemplate;
  /** Scheme, host and port, as they stand in the template. */
  start: string;
}

/** `what` names the link in the sentence of the error. */
export function compileLink(link: string, what: string): CompiledLink {
  // Letters of host names and addresses only: nothing that a browser would read as another host.
  const start = /^https?:\/\/[a-z0-9.:[\]_-]+(?=[/?#]|$)/i.exec(link)?.[0];
  if (start === undefined || !URL.canParse(start))
    throw new Error(`The ${what} does not begin with a literal host.`);
  return { template: compileTemplate(link), start };
}

/** Where the visitor goes; null when expansion would leave the template's origin. */
export function destination(
  { template, start }: CompiledLink,
  names: PartNames,
  visit: TokenVisit,
  referrer?: string,
): string | null {
  const url = expandTemplate(template, visitToken(names, visit, referrer));
  // The template's own scheme and host, and then what no longer belongs to them.
  const after = url[start.length];
  if (!url.startsWith(start) || (after !== undefined && !'/?#'.includes(after))) return null;
  return asLocation(url);
}

/** A Location header is ASCII (RFC 9110 §10.2.2); what is not was a literal, and is encoded as it stands. */
export const asLocation = (url: string): string =>
  /^[\x21-\x7e]*$/.test(url)
    ? url
    : url.replace(/[^\x21-\x7e]+/g, (run) => encodeURIComponent(run.toWellFormed()));
