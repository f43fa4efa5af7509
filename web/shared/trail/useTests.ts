/** What is sent to test a campaign, one at a time, and what became of it. */
import { computed, reactive, ref } from 'vue';
import type { TestConversion } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { sendTest, type TestVisitor } from './sendTest.ts';
import type { ShownCampaign } from './useCampaignLive.ts';

export function useTests(shown: ShownCampaign, country: string) {
  const visitor = reactive<TestVisitor>({ country, device: 'phone', values: {} });
  const conversion = reactive<Required<TestConversion>>({
    eventTypeId: '',
    status: 'approved',
    payoutMicros: '',
    transaction: '',
    reportToSource: false,
  });
  const busy = ref('');
  const said = ref('');
  const failure = ref('');
  /** The test visit that the next click and the next conversion are about. */
  const testId = ref('');
  const about = computed(() => {
    const last = shown.live.value?.lastVisit;
    return testId.value || (last?.isTest ? last.clickId : '');
  });
  const id = (): string => shown.campaign.value?.id ?? '';

  /** One at a time: a second click while the first is under way sends nothing. */
  async function run(what: string, work: () => Promise<string>): Promise<void> {
    if (busy.value !== '') return;
    busy.value = what;
    failure.value = said.value = '';
    try {
      said.value = await work();
      await shown.load();
    } catch (error) {
      failure.value = (error as Error).message;
    } finally {
      busy.value = '';
    }
  }
  return {
    visitor,
    conversion,
    busy,
    said,
    failure,
    about,
    isLive: computed(() => shown.campaign.value?.state === 'live'),
    sendVisit: () =>
      run('visit', async () => {
        const sent = await sendTest.visit(id(), visitor);
        testId.value = sent.clickId;
        return `Test visit sent. Tracheon redirected it to ${sent.location}`;
      }),
    press: (n: number) =>
      run('click', async () => {
        const { location } = await sendTest.click(about.value, n);
        return `Button ${n} clicked. Tracheon redirected it to ${location}`;
      }),
    fire: () =>
      run('conversion', async () => {
        const fired = await sendTest.conversion(about.value, conversion);
        return `Postback sent to ${fired.url}. Response: ${fired.status} ${fired.answer}`;
      }),
    copyLink: () =>
      run('link', async () => {
        const { url } = await ask('testLink', { id: id(), body: visitor });
        await navigator.clipboard.writeText(url);
        return 'Test link copied. It works for one hour: open it on your phone or in a private window.';
      }),
  };
}
