/** Our tokens as this desk has them: with the sub-IDs that its sources tell. */
import { computed, type ComputedRef } from 'vue';
import type { TokenPlace } from '@tracheon/core/tokens';
import { useParts } from '../../app/parts.ts';
import { ourTokens, type Candidate } from './completion.ts';

export function useDeskTokens(place: TokenPlace): ComputedRef<Candidate[]> {
  const parts = useParts();
  return computed(() => {
    const tellers = new Map<string, string[]>();
    for (const source of parts.of('source'))
      for (const p of source.body.parameters)
        if (p.role === 'sub' && p.sub !== '')
          tellers.set(p.sub, [...new Set([...(tellers.get(p.sub) ?? []), source.body.name])]);
    const subs = Object.fromEntries(
      [...tellers].map(([name, sources]) => [name, `sub-ID from ${sources.join(', ')}`]),
    );
    return ourTokens(place, { subs, hasPages: parts.of('landing-page').length > 0 });
  });
}
