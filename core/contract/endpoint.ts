/** What an endpoint of the API is: the shape of each row of the table in api.ts. */
import { z } from 'zod';
import type { Role } from './accounts.ts';
import type { ErrorCode } from './errors.ts';
import { partKinds } from './parts.ts';
import { recordId } from './primitives.ts';

export interface Endpoint {
  method: 'get' | 'post' | 'put' | 'delete';
  /** Under /api, parameters in braces. */
  path: string;
  group: 'Sign-in' | 'Desk' | 'Parts' | 'Reports' | 'Signals' | 'Money' | 'Watches' | 'Set up';
  summary: string;
  least: Role | 'anyone';
  session?: true;
  query?: z.ZodType;
  body?: z.ZodType;
  /** Takes a file as it is, in place of a JSON body. */
  upload?: true;
  /** Named where one body schema serves all kinds of Parts and the document shows each. */
  bodyOf?: 'part' | 'partChange';
  answer: z.ZodType | 'stream';
  /** 200 unless said otherwise. */
  status?: 201;
  /** Takes Idempotency-Key: the same key and body within 24 h get the first answer again. */
  once?: true;
  /** Answers with an ETag, and takes it back as If-Match. */
  etag?: 'gives' | 'takes';
  refuses?: ErrorCode[];
}

export const nothing = z.object({});
export const kindParam = z.enum(partKinds);
/** Schemas of path parameters, by name. */
export const pathParameters: Record<string, z.ZodType<string>> = { kind: kindParam, id: recordId };
