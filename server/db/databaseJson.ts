/** The database takes neither NUL nor half of a character, which cutting a text may leave: both are replaced. */
export function databaseJson(value: unknown): string {
  const text = JSON.stringify(value);
  if (!text.includes('\\u')) return text;
  return text.replace(/\\(?:u(?:d[89a-f][0-9a-f]{2}|0000)|[^])/g, (escape) =>
    escape.length === 2 ? escape : '\ufffd',
  );
}
