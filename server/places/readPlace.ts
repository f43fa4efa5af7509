/**
 * What one record of a place file tells, in either shape that such files have: nested, with names by language, or flat with
 * one text for each field. What is not there, or is no text, is unknown.
 */
import { cleanText } from '@tracheon/core/links';
import type { Place } from '../capture/visitor.ts';

/** Names of cities and providers are shorter; a file that nobody has looked at may hold anything. */
const MAX_NAME_LENGTH = 120;

export function readPlace(record: unknown): Partial<Place> {
  const place = {
    country: text(at(record, 'country', 'iso_code') ?? at(record, 'country_code')).toUpperCase(),
    region: text(
      at(record, 'subdivisions', 0, 'names', 'en') ?? at(record, 'state1') ?? at(record, 'region'),
    ),
    city: text(at(record, 'city', 'names', 'en') ?? at(record, 'city')),
    isp: text(
      at(record, 'traits', 'isp') ??
        at(record, 'isp') ??
        at(record, 'as_organization') ??
        at(record, 'autonomous_system_organization'),
    ),
    connection: text(at(record, 'traits', 'connection_type') ?? at(record, 'connection_type')),
  };
  if (!/^[A-Z]{2}$/.test(place.country)) place.country = '';
  return place;
}

const text = (value: unknown): string =>
  typeof value === 'string' ? cleanText(value.slice(0, MAX_NAME_LENGTH)).trim() : '';

function at(from: unknown, ...path: readonly (string | number)[]): unknown {
  let value = from;
  for (const step of path) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, step)) return undefined;
    value = (value as Record<string | number, unknown>)[step];
  }
  return value;
}
