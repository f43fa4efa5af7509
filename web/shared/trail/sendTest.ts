/** Tests by the API; see the live checklist. */
import type {
  TestConversion,
  TestConversionAnswer,
  TestVisitAnswer,
  TestVisitor,
} from '@tracheon/core/contract';
import { api } from '../../app/api.ts';

export type { TestVisitor };
export const sendTest = {
  visit: (campaignId: string, visitor: TestVisitor): Promise<TestVisitAnswer> => {
    // An empty field means a sample, not an empty value.
    const values = Object.fromEntries(Object.entries(visitor.values ?? {}).filter(([, v]) => v !== ''));
    return api.post(`/campaigns/${campaignId}/test-visit`, { ...visitor, values });
  },
  click: (clickId: string, n: number): Promise<{ status: number; location: string }> =>
    api.post(`/visits/${clickId}/test-click`, { n }),
  conversion: (clickId: string, said: TestConversion): Promise<TestConversionAnswer> =>
    api.post(`/visits/${clickId}/test-conversion`, said),
};
