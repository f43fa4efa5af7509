/** The description of a provider that desks hand to each other: without key, partner and IDs of one desk. */
import { z } from 'zod';
import {
  FEED_TEMPLATE,
  feedInterface,
  feedTemplate,
  type FeedInput,
  type FeedTemplate,
} from '../contract/index.ts';

const names = Object.keys(feedInterface) as (keyof typeof feedInterface)[];
const interfaceOf = (feed: FeedInput | FeedTemplate) =>
  Object.fromEntries(names.map((name) => [name, feed[name]])) as Pick<FeedInput, (typeof names)[number]>;

/** `wordOf`: what networks call an event type; empty: nothing. */
export const toTemplate = (feed: FeedInput, wordOf: (eventTypeId: string) => string): FeedTemplate => ({
  kind: FEED_TEMPLATE,
  version: 1,
  name: feed.name,
  ...interfaceOf(feed),
  counters: feed.counters.map(({ amountAt, eventTypeId }) => ({ amountAt, event: wordOf(eventTypeId) })),
});

/** What a template says of a feed. `idOf`: the event type of a word; empty: this desk has none, and a member chooses. */
export const fromTemplate = (
  template: FeedTemplate,
  idOf: (word: string) => string,
): Pick<FeedInput, (typeof names)[number] | 'name' | 'counters'> => ({
  ...interfaceOf(template),
  name: template.name,
  counters: template.counters.map(({ amountAt, event }) => ({ amountAt, eventTypeId: idOf(event) })),
});

/** For whoever writes one by hand or by a program: JSON Schema 2020-12. */
export const feedTemplateSchema = (): Record<string, unknown> => ({
  title: 'Tracheon feed template',
  ...z.toJSONSchema(feedTemplate, { io: 'input', unrepresentable: 'any' }),
});

/** A template's text; else what is wrong with it, in a sentence. */
export function readTemplate(text: string): FeedTemplate | string {
  let raw: unknown;
  try {
    raw = JSON.parse(text);
  } catch {
    return 'This file is not JSON.';
  }
  if ((raw as { kind?: unknown } | null)?.kind !== FEED_TEMPLATE) return 'This file is not a feed template.';
  const read = feedTemplate.safeParse(raw);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  return `This template can’t be read. ${issue!.path.join('.')}: ${issue!.message}`;
}
