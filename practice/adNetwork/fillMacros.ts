/** What an ad network does with a tracking link: puts its values where its macros stand, and leaves the rest alone. */
import { findMacros } from '@tracheon/core/tokens';

export function fillMacros(link: string, values: Readonly<Record<string, string>>): string {
  let out = '';
  let at = 0;
  for (const macro of findMacros(link)) {
    const name = macro.text.replace(/[^A-Za-z0-9_]/g, '').toLowerCase();
    if (!Object.hasOwn(values, name)) continue;
    out += link.slice(at, macro.start) + encodeURIComponent(values[name]!);
    at = macro.end;
  }
  return out + link.slice(at);
}
