/** Which campaign's link was pasted into its source with which parameters; a changed source asks for it again. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { PastedLink, PartRecord } from '@tracheon/core/contract';
import { linkParametersText } from '@tracheon/core/links';
import { ask } from './api.ts';
import { useParts } from './parts.ts';

export const usePasted = defineStore('pasted', () => {
  const parts = useParts();
  const all = ref<PastedLink[]>([]);
  const load = async (): Promise<void> => {
    all.value = await ask('listPasted').catch(() => all.value);
  };
  const queryOf = (campaign: PartRecord<'campaign'>): string => {
    const source = parts.one('source', campaign.body.sourceId);
    return source ? linkParametersText(source.body) : '';
  };
  const of = (campaignId: string): PastedLink | undefined =>
    all.value.find((p) => p.campaignId === campaignId);
  return {
    load,
    of,
    queryOf,
    /** Live campaigns whose link stands in the source with other parameters than it has now. */
    stale: computed(() =>
      parts
        .of('campaign')
        .filter((c) => c.state === 'live' && of(c.id) !== undefined && of(c.id)!.query !== queryOf(c)),
    ),
    tick: async (campaign: PartRecord<'campaign'>): Promise<void> => {
      await ask('tickPasted', { id: campaign.id, body: { query: queryOf(campaign) } });
      await load();
    },
  };
});
