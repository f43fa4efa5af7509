/** Figures that a desk makes of the known ones by a formula. */
import { z } from 'zod';
import { readFormula } from '../metrics/formula.ts';
import { type Endpoint, nothing } from './endpoint.ts';
import { isoTime, recordId, recordName } from './primitives.ts';

export const MAX_OWN_FIGURES = 50;
export const ownFigureFormats = ['number', 'percent'] as const;

export const ownFigureInput = z.object({
  name: recordName,
  formula: z.string().superRefine((text, ctx) => {
    const read = readFormula(text);
    if (!read.ok) ctx.addIssue({ code: 'custom', message: read.message });
  }),
  /** How a result without a currency is shown. */
  format: z.enum(ownFigureFormats).default('number'),
});
export type OwnFigureInput = z.output<typeof ownFigureInput>;

export const ownFigure = ownFigureInput.extend({
  id: recordId,
  by: z.string(),
  at: isoTime,
});
export type OwnFigure = z.infer<typeof ownFigure>;

export const ownFigureEndpoints = {
  listOwnFigures: {
    method: 'get',
    path: '/own-figures',
    group: 'Reports',
    summary: 'Figures that this desk makes by formulas.',
    least: 'viewer',
    answer: z.array(ownFigure),
  },
  saveOwnFigure: {
    method: 'post',
    path: '/own-figures',
    group: 'Reports',
    summary: 'Add a figure made by a formula. Another one of the same name is replaced.',
    least: 'editor',
    body: ownFigureInput,
    answer: ownFigure,
  },
  removeOwnFigure: {
    method: 'delete',
    path: '/own-figures/{id}',
    group: 'Reports',
    summary: 'Delete a figure of this desk.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
