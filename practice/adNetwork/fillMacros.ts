/** What an ad network does with a tracking link: puts its values where its macros stand, and leaves the rest alone. */
import type { MacroStyle } from '@tracheon/core/contract';
import { findMacros } from '@tracheon/core/tokens';

/** `shape`: the only one it knows; null fills any usual one. */
export function fillMacros(
  link: string,
  shape: MacroStyle | null,
  values: Readonly<Record<string, string>>,
): string {
  let out = '';
  let at = 0;
  for (const macro of findMacros(link)) {
    const name = macro.text.replace(/[^A-Za-z0-9_]/g, '').toLowerCase();
    if (shape !== null && macro.shape !== shape) continue;
    if (!Object.hasOwn(values, name)) continue;
    out += link.slice(at, macro.start) + encodeURIComponent(values[name]!);
    at = macro.end;
  }
  return out + link.slice(at);
}
