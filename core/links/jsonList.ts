/**
 * The elements of a JSON list, each as the text that stands there, so that no digit and no doubled key is lost. Only as much
 * of JSON is read as tells where an element ends (RFC 8259 §5); what stands in an element is looked at when it is read.
 */

/** Null for what is no list, or whose brackets and quotes don't close. Stops after `limit` + 1 elements. */
export function jsonListElements(text: string, limit: number): string[] | null {
  const start = /^[\ufeff\s]*\[/.exec(text);
  if (!start) return null;
  const elements: string[] = [];
  const closers: string[] = [];
  let from = start[0].length;
  const take = (end: number): boolean => {
    const element = text.slice(from, end).trim();
    from = end + 1;
    if (element === '') return false;
    elements.push(element);
    return true;
  };
  for (let i = from; i < text.length; i++) {
    const c = text[i]!;
    if (c === '"') {
      i = endOfString(text, i);
      if (i < 0) return null;
    } else if (c === '{' || c === '[') closers.push(c === '{' ? '}' : ']');
    else if (c === '}' || c === ']') {
      if (closers.length > 0) {
        if (closers.pop() !== c) return null;
      } else {
        const isEnd = c === ']' && text.slice(i + 1).trim() === '';
        // An empty list has no element; a comma must be followed by one.
        return isEnd && (take(i) || elements.length === 0) ? elements : null;
      }
    } else if (c === ',' && closers.length === 0) {
      if (!take(i)) return null;
      if (elements.length > limit) return elements;
    }
  }
  return null;
}

/** Where the string that begins at `start` ends; -1 when it does not. */
function endOfString(text: string, start: number): number {
  for (let i = start + 1; i < text.length; i++) {
    if (text[i] === '\\') i += 1;
    else if (text[i] === '"') return i;
  }
  return -1;
}
