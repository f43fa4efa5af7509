/**
 * Every address of the API, once: the server mounts them from here, the OpenAPI document is made from here, and the
 * web app asks by name and reads answers by the same schemas. `least` is the least role; `session` ones are closed to
 * tokens.
 */
import type { z } from 'zod';
import { firstEndpoints } from '../api.ts';
import { lateEndpoints } from '../late/index.ts';

const table = { ...firstEndpoints, ...lateEndpoints };

export type EndpointName = keyof typeof table;
export type EndpointOf<N extends EndpointName> = (typeof table)[N];
export const endpoints: typeof table = table;
/** The query of an endpoint as the server has it once it is parsed. */
export type ParsedQuery<N extends EndpointName> =
  EndpointOf<N> extends Record<'query', infer S extends z.ZodType> ? z.output<S> : undefined;
