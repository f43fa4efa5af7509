/**
 * A postback's query, form or JSON body as one parsed query; what stands in the query comes first. JSON is read without
 * losing digits, the first of a doubled key counts. What cannot be read says why, and takes nothing down with it.
 */
import { parse } from 'lossless-json';
import { jsonDepth, MAX_JSON_DEPTH } from './jsonDepth.ts';
import { parseQuery, type ParsedQuery } from './query.ts';

export interface ParsedPostback extends ParsedQuery {
  /** Parameters that came in a form, where `+` is a space. */
  form: ReadonlySet<string>;
  /** Parameters that hold an object or a list where a value belongs. */
  compound: ReadonlySet<string>;
  /** Why the body cannot be read, in a sentence; empty when it can, or there is none. */
  bodyProblem: string;
}

export function parsePostback(query: string, body: string, contentType: string): ParsedPostback {
  const { text, compound, problem, isForm, notes } = readBody(body, contentType);
  const inQuery = parseQuery(query);
  const inBody = parseQuery(text);
  const values = new Map(inQuery.values);
  const raw = new Map(inQuery.raw);
  const form = new Set<string>();
  const repeated: string[] = [];
  for (const [name, value] of inBody.values) {
    if (values.has(name)) {
      repeated.push(`repeated:${name}`);
      continue;
    }
    values.set(name, value);
    raw.set(name, inBody.raw.get(name)!);
    if (isForm) form.add(name);
  }
  return {
    values,
    raw,
    form,
    compound: new Set([...compound].filter((name) => !values.has(name))),
    bodyProblem: problem,
    notes: [...new Set([...inQuery.notes, ...inBody.notes, ...repeated, ...notes])],
  };
}

interface ReadBody {
  /** As a query. */
  text: string;
  compound: string[];
  problem: string;
  isForm: boolean;
  notes: string[];
}
const unreadable = (problem: string): ReadBody => ({
  text: '',
  compound: [],
  problem,
  isForm: false,
  notes: [],
});

function readBody(body: string, contentType: string): ReadBody {
  const notes = body.startsWith('\ufeff') ? ['byte_order_mark'] : [];
  const text = notes.length > 0 ? body.slice(1) : body;
  if (text.trim() === '') return { ...unreadable(''), notes };
  if (/multipart\//i.test(contentType) || /^--[^\r\n]{1,200}\r?\nContent-Disposition/i.test(text))
    return unreadable('it is a multipart form. Send it URL-encoded or as JSON.');
  // The two bytes that gzip begins with; the second is no character of its own and was replaced.
  if (/^\u001f[\u008b\ufffd]/.test(text)) return unreadable('it is compressed (gzip). Send it uncompressed.');
  if (!/json/i.test(contentType) && !/^\s*[{[]/.test(text))
    return { text, compound: [], problem: '', isForm: true, notes };
  const json = jsonAsQuery(text);
  return { ...json, notes: [...notes, ...json.notes] };
}

function jsonAsQuery(text: string): ReadBody {
  if (jsonDepth(text) > MAX_JSON_DEPTH) return unreadable('its JSON is nested too deeply.');
  const notes = new Set<string>();
  let parsed: unknown;
  try {
    parsed = parse(text, null, {
      // Text as it was written: 1.50 stays 1.50, and no digit is lost.
      parseNumber: (digits) => digits,
      onDuplicateKey: ({ key, oldValue }) => {
        notes.add(`repeated:${key}`);
        return oldValue;
      },
    });
  } catch {
    return unreadable('it is not valid JSON.');
  }
  if (Array.isArray(parsed)) return unreadable('it is a JSON list. Send one object per request.');
  if (typeof parsed !== 'object' || parsed === null)
    return unreadable('its JSON is not an object with the parameters.');
  const pairs: string[] = [];
  const compound: string[] = [];
  for (const [key, value] of Object.entries(parsed as Record<string, unknown>)) {
    if (value === null) continue;
    if (typeof value === 'object') compound.push(key.trim());
    else pairs.push(`${encode(key)}=${encode(String(value))}`);
  }
  return { text: pairs.join('&'), compound, problem: '', isForm: false, notes: [...notes] };
}
const encode = (text: string): string => encodeURIComponent(text.toWellFormed());
