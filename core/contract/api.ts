/** Endpoints of the first screen, and of the frame around every screen; the others are in `late`. */
import { deskEndpoints } from './deskApi.ts';
import type { Endpoint } from './endpoint.ts';
import { noticeCountEndpoints } from './noticeCount.ts';
import { partsEndpoints } from './partsApi.ts';
import { recentEndpoints } from './recent.ts';
import { reportEndpoints } from './reportsApi.ts';
import { signalEndpoints } from './signalsApi.ts';
import { signInEndpoints } from './signInApi.ts';

export const firstEndpoints = {
  ...signInEndpoints,
  ...deskEndpoints,
  ...recentEndpoints,
  ...partsEndpoints,
  ...noticeCountEndpoints,
  ...reportEndpoints,
  ...signalEndpoints,
} as const satisfies Record<string, Endpoint>;
