/** What a desk takes for bots beside what Tracheon recognizes itself. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { addressRange } from './texts.ts';

/** Lists of data centers have some thousand ranges. */
export const MAX_BOT_ADDRESSES = 10_000;
/** Each is looked for in every new user agent. */
export const MAX_BOT_AGENTS = 1000;

export const botList = z.object({
  /** A visitor whose user agent contains one of them, in whatever case, is a bot. */
  agents: z
    .array(z.string().trim().min(3, 'Enter at least three characters.').max(200, 'At most 200 characters.'))
    .max(MAX_BOT_AGENTS, `Enter at most ${MAX_BOT_AGENTS} lines.`)
    .default([]),
  addresses: z
    .array(addressRange)
    .max(MAX_BOT_ADDRESSES, `Enter at most ${MAX_BOT_ADDRESSES} lines.`)
    .default([]),
});
export type BotList = z.infer<typeof botList>;
export const noBotList: BotList = Object.freeze({ agents: [], addresses: [] });

export const botEndpoints = {
  botList: {
    method: 'get',
    path: '/desk/bots',
    group: 'Desk',
    summary: 'User agents and addresses that this desk takes for bots.',
    least: 'viewer',
    answer: botList,
    etag: 'gives',
  },
  changeBotList: {
    method: 'put',
    path: '/desk/bots',
    group: 'Desk',
    summary: 'Change what this desk takes for bots. It holds for visits from now on.',
    least: 'editor',
    body: botList,
    answer: botList,
    etag: 'takes',
  },
} as const satisfies Record<string, Endpoint>;
