/** How deep JSON text nests, told before anything walks it. */

/** Nobody who means well nests deeper; the bound keeps the cost of a hostile body linear. */
export const MAX_JSON_DEPTH = 32;

/** Deepest nesting, without reading any value: linear, and not fooled by brackets in strings. */
export function jsonDepth(text: string): number {
  let depth = 0;
  let deepest = 0;
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (c === '"') {
      i += 1;
      while (i < text.length && text[i] !== '"') i += text[i] === '\\' ? 2 : 1;
    } else if (c === '{' || c === '[') deepest = Math.max(deepest, (depth += 1));
    else if (c === '}' || c === ']') depth -= 1;
  }
  return deepest;
}
