/**
 * Where an address is: by the operator's own files first, in their order, each field from the first file that knows it, and
 * the country by the file in the box.
 *
 * Files are looked at every few seconds; one that has changed is opened anew and takes the place of the old one at once. One
 * that cannot be read leaves the version before in use and says why; visits never wait for a file and never fail for one.
 */
import { createRequire } from 'node:module';
import { stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import maxmind, { type Reader, type Response } from 'maxmind';
import type { PlaceFile } from '@tracheon/core/contract';
import { RecentKeys } from '../capture/recentKeys.ts';
import { nowhere, type FindPlace, type Place } from '../capture/visitor.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import { readPlace } from './readPlace.ts';

/** Addresses whose place is remembered: some 20 MB. */
const REMEMBERED = 100_000;
/** A visitor comes again and again, and most of a file's places are told apart by a few names. */
const MAX_SHARED_PLACES = 100_000;
const LOOK_EVERY_MS = 5000;

interface OpenFile {
  path: string;
  /** Size and time of what was opened last, read or not; empty: never. */
  seen: string;
  reader: Reader<Response> | null;
  trouble: string;
}

export class Places {
  private readonly known = new RecentKeys<Place>(REMEMBERED);
  private readonly shared = new Map<string, Place>();

  private constructor(
    private readonly box: Reader<Response>,
    private readonly files: readonly OpenFile[],
    private readonly notice: string,
  ) {}

  static async open(paths: readonly string[], notice: string): Promise<Places> {
    const box = createRequire(import.meta.url).resolve(
      '@ip-location-db/geo-whois-asn-country-mmdb/package.json',
    );
    const files = paths.map((path): OpenFile => ({ path, seen: '', reader: null, trouble: '' }));
    const places = new Places(
      await maxmind.open<Response>(join(dirname(box), 'geo-whois-asn-country.mmdb')),
      files,
      notice,
    );
    await places.look();
    return places;
  }

  readonly find: FindPlace = (address) => {
    let place = this.known.get(address);
    if (!place) this.known.set(address, (place = this.oneOf(this.read(address))));
    return place;
  };

  /** Opens what is new. */
  async look(): Promise<void> {
    const changes = await Promise.all(this.files.map(openChanged));
    if (!changes.some((changed) => changed)) return;
    this.known.clear();
    this.shared.clear();
  }

  job(): RepeatedJob {
    return { everyMs: LOOK_EVERY_MS, run: () => this.look(), trouble: 'place files are as opened last' };
  }

  list(): { files: PlaceFile[]; notice: string } {
    return {
      notice: this.notice,
      files: this.files.map(({ path, reader, trouble }) => ({
        name: basename(path),
        type: reader?.metadata.databaseType ?? '',
        builtAt: reader?.metadata.buildEpoch.toISOString() ?? null,
        trouble,
      })),
    };
  }

  private read(address: string): Place {
    if (!maxmind.validate(address)) return nowhere;
    const place: Place = { ...nowhere };
    for (const reader of [...this.files.map((f) => f.reader), this.box]) {
      if (reader === null) continue;
      const told = safely(reader, address);
      for (const field of Object.keys(place) as (keyof Place)[])
        if (place[field] === '') place[field] = told[field] ?? '';
    }
    return place;
  }

  /** One object for all addresses of a place. */
  private oneOf(place: Place): Place {
    const key = `${place.country}\n${place.region}\n${place.city}\n${place.isp}\n${place.connection}`;
    const before = this.shared.get(key);
    if (before) return before;
    if (this.shared.size >= MAX_SHARED_PLACES) this.shared.clear();
    const frozen = Object.freeze(place);
    this.shared.set(key, frozen);
    return frozen;
  }
}

/** A file that was damaged past its head is found out only where it is read. */
function safely(reader: Reader<Response>, address: string): Partial<Place> {
  try {
    return readPlace(reader.get(address));
  } catch {
    return {};
  }
}

async function openChanged(file: OpenFile): Promise<boolean> {
  try {
    const { size, mtimeMs } = await stat(file.path);
    const seen = `${size} ${mtimeMs}`;
    if (seen === file.seen) return false;
    file.seen = seen;
    file.reader = await maxmind.open<Response>(file.path);
    file.trouble = '';
    return true;
  } catch (error) {
    const isMissing = (error as NodeJS.ErrnoException).code === 'ENOENT';
    if (isMissing) file.seen = '';
    const why = isMissing ? 'The file is missing.' : 'The file can’t be read as an .mmdb file.';
    file.trouble = file.reader === null ? why : `${why} The version before is still in use.`;
    return false;
  }
}
