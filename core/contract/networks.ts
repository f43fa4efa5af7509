/** A network: who pays. Its names for what we ask, its words, its habits. */
import { z } from 'zod';
import { conversionStatus, macroShape, parameterName, recordName } from './primitives.ts';
import { macroText, notes, orEmpty, twice, word } from './texts.ts';

/** What an incoming call may tell, by our name; a network maps each to its own parameter and macro. */
export const callFields = [
  'click_id',
  'payout',
  'currency',
  'transaction',
  'event',
  'status',
  'conversion_time',
  'changed_time',
] as const;
export type CallField = (typeof callFields)[number];

const fieldMapping = z.object({
  /** Their placeholder, put into the postback URL that is handed over; empty: they do not tell it. */
  macro: macroText.default(''),
  /** The parameter under which it reaches us; empty: our own name. */
  parameter: orEmpty(parameterName).default(''),
});
export type FieldMapping = z.infer<typeof fieldMapping>;

export const statusMeanings = [...conversionStatus.options, 'ignore'] as const;

export const networkInput = z
  .object({
    name: recordName,
    /** The network's own sub-ID parameter that carries our click ID in its offer links. */
    clickIdParameter: parameterName,
    macroShape: macroShape.default('{x}'),
    fields: z.object(
      Object.fromEntries(
        callFields.map((f) => [f, fieldMapping.default({ macro: '', parameter: '' })]),
      ) as Record<CallField, z.ZodDefault<typeof fieldMapping>>,
    ),
    statusWords: z
      .array(z.object({ word, means: z.enum(statusMeanings) }))
      .max(60)
      .default([]),
    eventWords: z
      .array(z.object({ word, eventTypeId: z.string() }))
      .max(60)
      .default([]),
    noStatusMeans: z.enum(['approved', 'pending']).default('approved'),
    payoutMeans: z.enum(['event', 'total', 'difference']).default('event'),
    negativeMeans: z.enum(['refund', 'error']).default('refund'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    answerStyle: z.enum(['json', 'ok', 'one', 'empty']).default('json'),
    notes,
  })
  .superRefine((n, ctx) => {
    twice(
      n.statusWords.map((w) => w.word),
      'statusWords',
      'word',
      ctx,
    );
    twice(
      n.eventWords.map((w) => w.word),
      'eventWords',
      'word',
      ctx,
    );
    const wire = callFields.map((f) => n.fields[f].parameter || f).map((s) => s.toLowerCase());
    wire.forEach((w, i) => {
      if (wire.indexOf(w) < i)
        ctx.addIssue({
          code: 'custom',
          path: ['fields', callFields[i]!, 'parameter'],
          message: `“${w}” already carries something else.`,
        });
    });
  });
export type NetworkInput = z.infer<typeof networkInput>;
