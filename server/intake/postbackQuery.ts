/** Query, form and JSON bodies become one parsed query; what stands in the query comes first. */
import { parseQuery, type ParsedQuery } from '@tracheon/core/links';

export function postbackQuery(query: string, body: string, contentType: string): ParsedQuery {
  const fromBody = /json/i.test(contentType) || /^\s*\{/.test(body) ? jsonAsQuery(body) : body;
  return parseQuery([query, fromBody].filter((s) => s !== '').join('&'));
}

/** Top-level strings, numbers and booleans; anything else is no parameter. A body that is no JSON gives none. */
function jsonAsQuery(body: string): string {
  let parsed: unknown;
  try {
    parsed = JSON.parse(body);
  } catch {
    return '';
  }
  if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed)) return '';
  return Object.entries(parsed)
    .filter(([, v]) => ['string', 'number', 'boolean'].includes(typeof v))
    .map(
      ([k, v]) => `${encodeURIComponent(k.toWellFormed())}=${encodeURIComponent(String(v).toWellFormed())}`,
    )
    .join('&');
}
