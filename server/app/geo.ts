/** Country by address, from the file in the box. An address that is not in it is nowhere. */
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import maxmind, { type Response } from 'maxmind';
import { nowhere, type FindPlace } from '../capture/visitor.ts';

export async function openGeo(): Promise<FindPlace> {
  const folder = dirname(
    createRequire(import.meta.url).resolve('@ip-location-db/geo-whois-asn-country-mmdb/package.json'),
  );
  const reader = await maxmind.open<Response & { country_code?: string }>(
    join(folder, 'geo-whois-asn-country.mmdb'),
  );
  return (address) => {
    if (!maxmind.validate(address)) return nowhere;
    const found = reader.get(address);
    return found?.country_code ? { ...nowhere, country: found.country_code } : nowhere;
  };
}
