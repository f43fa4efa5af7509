/** A block or allow list as a source takes it: each value in its own form, and what stands between two. */
import type { SourceInput } from '../contract/index.ts';

const separators: Record<SourceInput['listSeparator'], string> = {
  newline: '\n',
  comma: ',',
  semicolon: ';',
  space: ' ',
  pipe: '|',
};

export const listText = (
  values: readonly string[],
  { listSeparator, listFormat }: Pick<SourceInput, 'listSeparator' | 'listFormat'>,
): string =>
  // A replacing text would have its `$` read as a pattern.
  values.map((value) => listFormat.split('{value}').join(value)).join(separators[listSeparator]);
