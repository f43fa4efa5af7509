/** Which files tell where visitors are. */
import type { Mount } from '../http/mount.ts';
import type { Places } from './places.ts';

export interface KnowsPlaces {
  places: Places;
}

export function placeRoutes(mount: Mount, { places }: KnowsPlaces): void {
  mount('placeFiles', () => places.list());
}
