/** A traffic source: who sends the visits, what it tells of each, where it hears of conversions. */
import { z } from 'zod';
import {
  conversionStatus,
  currencyCode,
  macroShape,
  parameterName,
  recordName,
  subName,
} from './primitives.ts';
import { httpUrl, macroText, notes, orEmpty, twice } from './texts.ts';

export const costUnits = ['visit', 'thousand', 'cents', 'micros'] as const;

export const sourceInput = z
  .object({
    name: recordName,
    macroShape: macroShape.default('{x}'),
    /** In the order in which they stand in the tracking link. */
    parameters: z
      .array(
        z.object({
          parameter: parameterName,
          macro: macroText.default(''),
          role: z.enum(['sub', 'click_id', 'cost']),
          sub: orEmpty(subName).default(''),
        }),
      )
      .max(60, 'At most 60 parameters.')
      .default([]),
    costUnit: z.enum(costUnits).default('visit'),
    costCurrency: currencyCode.default('EUR'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    /** The source's conversion address with our tokens; empty: it wants none. */
    postbackUrl: orEmpty(httpUrl).default(''),
    tellStatuses: z.array(conversionStatus).default(['approved']),
    notes,
  })
  .superRefine((s, ctx) => {
    twice(
      s.parameters.map((p) => p.parameter),
      'parameters',
      'parameter',
      ctx,
    );
    s.parameters.forEach((p, i) => {
      if (p.role === 'sub' && p.sub === '')
        ctx.addIssue({ code: 'custom', path: ['parameters', i, 'sub'], message: 'Name the sub-ID.' });
    });
    for (const role of ['click_id', 'cost'] as const) {
      const at = s.parameters.map((p, i) => (p.role === role ? i : -1)).filter((i) => i >= 0);
      if (at.length > 1)
        ctx.addIssue({
          code: 'custom',
          path: ['parameters', at[1]!, 'role'],
          message: role === 'cost' ? 'Cost is already told above.' : 'The click ID is already told above.',
        });
    }
  });
export type SourceInput = z.infer<typeof sourceInput>;
