/** Country by address, from the file in the box. An address that is not in it is nowhere. */
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import maxmind, { type Response } from 'maxmind';
import { LRUCache } from 'lru-cache';
import { nowhere, type FindPlace, type Place } from '../capture/visitor.ts';

/** Addresses whose place is remembered: some 20 MB. */
const REMEMBERED = 100_000;

export async function openGeo(): Promise<FindPlace> {
  const folder = dirname(
    createRequire(import.meta.url).resolve('@ip-location-db/geo-whois-asn-country-mmdb/package.json'),
  );
  const reader = await maxmind.open<Response & { country_code?: string }>(
    join(folder, 'geo-whois-asn-country.mmdb'),
  );
  const find = (address: string): Place => {
    if (!maxmind.validate(address)) return nowhere;
    const found = reader.get(address);
    return found?.country_code ? { ...nowhere, country: found.country_code } : nowhere;
  };
  // A visitor comes again and again; one place object serves all of a country.
  const known = new LRUCache<string, Place>({ max: REMEMBERED });
  const places = new Map<string, Place>();
  return (address) => {
    let place = known.get(address);
    if (!place) {
      const found = find(address);
      place = places.get(found.country) ?? found;
      places.set(found.country, place);
      known.set(address, place);
    }
    return place;
  };
}
