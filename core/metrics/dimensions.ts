/** Dimensions that facts are grouped by and narrowed to, derived from the visit row: one list for screens, exports and the API. */
import {
  dimensionFields,
  dimensionOf,
  visitColumns,
  type DimensionOf,
  type VisitField,
} from '../visits/index.ts';

export interface NamedDimension {
  /** By which the API names it, and its column in the tables of visits and conversions. */
  name: string;
  field: VisitField;
  label: string;
  of: DimensionOf;
}

/** In the order in which a visit is described. */
export const dimensions: readonly NamedDimension[] = dimensionFields.map((field) => ({
  name: visitColumns[field].name,
  field,
  ...dimensionOf(field)!,
}));

/** Values that stand for a record are shown by its name; `named` knows it, or gives an empty text. */
export function dimensionText(
  dimension: NamedDimension,
  value: string,
  named: (id: string) => string,
): string {
  if (value === '') return '';
  const isRecord = ['campaign', 'source', 'network', 'offer', 'landing-page', 'branch', 'partner'].includes(
    dimension.of,
  );
  return isRecord ? named(value) || value : value;
}
