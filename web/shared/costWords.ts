/** How screens name the cost models. */
import type { CampaignInput } from '@tracheon/core/contract';

type Model = CampaignInput['costModel'];
export const costModelLabels: Record<Model, string> = {
  none: 'unknown',
  visit: 'fixed cost per visit',
  thousand: 'fixed cost per 1 000 impressions',
  conversion: 'fixed cost per conversion',
  share: 'share of revenue',
  link: 'from the tracking link',
};
export const costSummary: Record<Model, string> = {
  none: 'unknown cost',
  visit: 'fixed cost per visit',
  thousand: 'cost per 1 000 impressions',
  conversion: 'cost per conversion',
  share: 'cost is a share of revenue',
  link: 'cost from the tracking link',
};
/** What its one amount is called. */
export const costAmountLabels: Partial<Record<Model, string>> = {
  visit: 'Cost per visit',
  thousand: 'Cost per 1 000 impressions',
  conversion: 'Cost per conversion',
  link: 'Usual cost per visit (optional)',
};
