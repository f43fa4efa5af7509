/** One request as a command for a shell (POSIX.1-2017 2.2.2: nothing is special between single quotes). */
export interface RawRequest {
  method: string;
  /** With its query, as it came. */
  url: string;
  body: string;
  contentType: string;
}
const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

export function curlText({ method, url, body, contentType }: RawRequest): string {
  const header = contentType === '' ? [] : ['-H', quoted(`Content-Type: ${contentType}`)];
  const data = body === '' ? [] : ['--data-raw', quoted(body)];
  // Brackets and braces of macros are no patterns.
  return [
    'curl',
    '--globoff',
    ...(method === 'GET' ? [] : ['-X', method]),
    ...header,
    ...data,
    quoted(url),
  ].join(' ');
}
