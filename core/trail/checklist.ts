/**
 * The live checklist: what has been seen of a chain, and, where something stays off, what to look at. Steps turn on one
 * after the other; a step is only asked about once the one before it is on.
 */
import type { CampaignLive } from '../contract/setup.ts';
import { statusOf } from '../contract/statuses.ts';

export const checkKeys = ['visit', 'button', 'conversion', 'postback_out'] as const;
export type CheckKey = (typeof checkKeys)[number];

export interface CheckStep {
  key: CheckKey;
  words: string;
  /** `near`: the step before it is on, so this one is what to look at now. `not_needed`: nobody wants it. */
  state: 'off' | 'near' | 'on' | 'trouble' | 'not_needed';
  /** When it turned on; empty while it is off. */
  at: string;
  says: string;
  isTest: boolean;
  /** The visit whose trail has the raw requests; empty for none. */
  clickId: string;
  raw: string;
}

export interface CheckedChain {
  sourceName: string;
  /** False: its ads lead to the page, whose script registers the visit. */
  allowsRedirects: boolean;
  networkName: string;
  /** null for a direct link. */
  pageName: string | null;
  /** The source wants to be told. */
  isReported: boolean;
  /** As the network must call it. */
  postbackUrl: string;
}

export function checklist(live: CampaignLive, chain: CheckedChain): CheckStep[] {
  const steps = [visitStep(live, chain)];
  if (chain.pageName !== null) steps.push(buttonStep(live, chain.pageName));
  steps.push(conversionStep(live, chain), postbackOutStep(live, chain));
  return steps.map((s, i) =>
    s.state === 'off' && (i === 0 || steps[i - 1]!.state === 'on') ? { ...s, state: 'near' } : s,
  );
}

const off = (key: CheckKey, words: string, says: string): CheckStep => ({
  key,
  words,
  state: 'off',
  at: '',
  says,
  isTest: false,
  clickId: '',
  raw: '',
});

function visitStep(live: CampaignLive, { sourceName, allowsRedirects }: CheckedChain): CheckStep {
  const v = live.lastVisit;
  if (!v)
    return off(
      'visit',
      'Visit received',
      allowsRedirects
        ? `No visits yet. Check that the tracking link is pasted at ${sourceName} and the ad is approved.`
        : `No visits yet. Check that the page’s link is pasted at ${sourceName}, that the page has Tracheon’s script, and that the ad is approved.`,
    );
  return {
    key: 'visit',
    words: 'Visit received',
    state: 'on',
    at: v.at,
    says: [v.country, v.device].filter(Boolean).join(' · '),
    isTest: v.isTest,
    clickId: v.clickId,
    raw: v.rawQuery,
  };
}

function buttonStep(live: CampaignLive, page: string): CheckStep {
  const c = live.lastClick;
  const hint =
    live.toPage === 0
      ? `No visitor has reached ${page} yet.`
      : `${plural(live.toPage, 'visit')} reached ${page}, but no button was clicked. Check the button link on the page.`;
  if (!c) return off('button', 'Button click received', hint);
  return {
    key: 'button',
    words: 'Button click received',
    state: 'on',
    at: c.at,
    says: `button ${c.n}`,
    isTest: false,
    clickId: c.clickId,
    raw: '',
  };
}

function conversionStep(live: CampaignLive, chain: CheckedChain): CheckStep {
  const words = 'Conversion received';
  const c = live.lastConversion;
  if (c)
    return {
      key: 'conversion',
      words,
      state: 'on',
      at: c.at,
      says: statusOf[c.status].amountWord,
      isTest: c.isTest,
      clickId: c.clickId,
      raw: live.lastPostback?.rawQuery ?? '',
    };
  const call = live.lastUnmatched;
  if (call)
    return {
      ...off('conversion', words, `A postback arrived but matched no visit. ${call.sentence}`),
      state: 'trouble',
      at: call.at,
      raw: call.rawQuery,
    };
  const all = live.visits + live.tests;
  return off(
    'conversion',
    words,
    all === 0
      ? `No postback from ${chain.networkName} yet.`
      : `${plural(all, 'visit')}, but no postback from ${chain.networkName} yet. Check that this postback URL is set there: ${chain.postbackUrl}`,
  );
}

function postbackOutStep(live: CampaignLive, { sourceName, isReported }: CheckedChain): CheckStep {
  const words = 'Postback to source';
  const t = live.lastPostbackOut;
  const last = live.lastConversion;
  if (!isReported)
    return {
      ...off('postback_out', words, `Not needed: ${sourceName} takes no postback.`),
      state: 'not_needed',
    };
  if (!t) {
    if (last && !last.isReported)
      return off('postback_out', words, 'This was a test without a postback to the source.');
    return off(
      'postback_out',
      words,
      last
        ? `${sourceName} gets no postback for ${last.status} conversions, or only for a share of them.`
        : `Tracheon sends the postback to ${sourceName} when a conversion arrives.`,
    );
  }
  const base = { ...off('postback_out', words, ''), at: t.at, clickId: last?.clickId ?? '', raw: t.url };
  if (t.state === 'delivered')
    return {
      ...base,
      state: 'on',
      says: `answered ${t.httpStatus ?? ''}`.trim(),
      isTest: last?.isTest ?? false,
    };
  if (t.result === '') return { ...base, says: 'Tracheon is sending the postback.' };
  return {
    ...base,
    state: 'trouble',
    says: `${sourceName} answered ${t.httpStatus ?? t.result}${t.state === 'waiting' ? '; Tracheon will try again' : ''}. Check its postback URL.`,
  };
}

const plural = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`;
