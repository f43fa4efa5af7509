import { expect, it } from '@jest/globals';
import type { PortableFile } from '@tracheon/core/contract';
import { readPartsFile, toCsv } from './partsFile.ts';

const file: PortableFile = {
  format: 'tracheon-parts',
  version: 1,
  parts: [
    {
      kind: 'source',
      body: {
        name: '=Moorhen, "Push"',
        tags: ['push', 'be'],
        notes: 'two\nlines',
        parameters: [{ parameter: 'a' }],
      },
    },
    { kind: 'event-type', body: { name: 'Upsell', tags: [], notes: '-1', word: 'up' } },
  ],
};

it('comes back from CSV as it went', () => expect(readPartsFile(toCsv(file))).toEqual(file));
it('marks what a spreadsheet would run', () => expect(toCsv(file)).toContain(`'=Moorhen`));
it('takes JSON as it stands', () => expect(readPartsFile(`  ${JSON.stringify(file)}`)).toEqual(file));
it.each([
  ['{"a":', 'The file is not valid JSON.'],
  ['name;kind\nx;y', 'does not contain exported records'],
  ['kind,name,tags,notes,rest\nsource,A,,,{bad', 'Line 2'],
])('says what is wrong with %j', (text, sentence) => expect(() => readPartsFile(text)).toThrow(sentence));
