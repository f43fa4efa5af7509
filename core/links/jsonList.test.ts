import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { jsonListElements } from './index.ts';

describe('the elements of a JSON list', () => {
  it('are what a parser finds, whatever they hold and however they are laid out', () => {
    const list = fc.array(fc.jsonValue(), { maxLength: 12 });
    fc.assert(
      fc.property(list, fc.constantFrom(0, 2, '\t'), (values, indent) => {
        const elements = jsonListElements(JSON.stringify(values, null, indent), 100);
        expect(elements?.map((e) => JSON.parse(e) as unknown)).toEqual(
          JSON.parse(JSON.stringify(values)) as unknown[],
        );
      }),
    );
  });
  it('keep their digits and doubled keys as they stand', () => {
    expect(jsonListElements('\ufeff [ {"payout": 1.50, "payout": 2},{"x":"],["} ] ', 10)).toEqual([
      '{"payout": 1.50, "payout": 2}',
      '{"x":"],["}',
    ]);
    expect(jsonListElements('[]', 10)).toEqual([]);
  });
  it('are none of what is no list, or does not close', () => {
    for (const text of ['', '{}', '[', '[1', '[1,]', '[,1]', '[{]', '["a]', '[1]x', '[}', 'click_id=[1]'])
      expect(jsonListElements(text, 10)).toBeNull();
  });
  it('are read as deep and as long as they come, and no further than the limit', () => {
    expect(jsonListElements(`${'['.repeat(5000)}${']'.repeat(5000)}`, 10)).toHaveLength(1);
    expect(jsonListElements(`[${'1,'.repeat(100_000)}1]`, 1000)).toHaveLength(1001);
  });
});
