/** A desk's own list of bots, ready to be asked for each visit. */
import { LRUCache } from 'lru-cache';
import type { BotList } from '@tracheon/core/contract';
import { rangeSet } from '../addresses/rangeSet.ts';
import type { CompiledBotList } from './compiled.ts';

/** A thousand words are looked for in an agent once; visitors share some thousand agents. */
const AGENTS_REMEMBERED = 10_000;

/** Throws on an address that is none. */
export function compileBotList({ agents, addresses }: BotList): CompiledBotList {
  const words = agents.map((word) => word.toLowerCase());
  const known = new LRUCache<string, boolean>({ max: AGENTS_REMEMBERED });
  const hasAgent = (userAgent: string): boolean => {
    let found = known.get(userAgent);
    if (found === undefined) {
      const text = userAgent.toLowerCase();
      known.set(userAgent, (found = words.some((word) => text.includes(word))));
    }
    return found;
  };
  return { hasAgent: words.length === 0 ? () => false : hasAgent, hasAddress: rangeSet(addresses) };
}
