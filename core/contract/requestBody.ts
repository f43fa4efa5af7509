/**
 * The body of a request that we send, before its tokens are filled. Of a form it is `name={token}&…`. Of JSON it is JSON with
 * tokens: inside a text a token is a part of the text, `"{payout}"`; without quotation marks, `{payout}`, it is a number, and
 * null where there is none.
 */
export type BodyKind = 'form' | 'json';

const TOKEN = /^\{([a-z][a-z0-9_]{0,79})\}/;

/** Each token replaced. They are told from the braces of objects: after those comes a quotation mark, white space or the end. */
export function replaceJsonTokens(
  template: string,
  write: (name: string, isInText: boolean) => string,
): string {
  let out = '';
  let isInText = false;
  for (let at = 0; at < template.length; at++) {
    const c = template[at]!;
    const token = c === '{' ? TOKEN.exec(template.slice(at, at + 82)) : null;
    if (token) {
      out += write(token[1]!, isInText);
      at += token[0].length - 1;
      continue;
    }
    out += c;
    if (c === '\\' && isInText) out += template[++at] ?? '';
    else if (c === '"') isInText = !isInText;
  }
  return out;
}

/** One sentence on what is wrong with a body; null where nothing is. */
export function bodyProblem(kind: BodyKind, template: string): string | null {
  if (template.trim() === '') return 'Enter the body of the request.';
  if (kind === 'form')
    return template.split('&').every((pair) => /^[^=&\s]+=/.test(pair))
      ? null
      : 'Write the fields as name={token}&name={token}, without spaces.';
  try {
    JSON.parse(replaceJsonTokens(template, () => '1'));
    return null;
  } catch {
    return 'This is not JSON. Write texts as "{token}", and numbers as {token} without quotation marks.';
  }
}
