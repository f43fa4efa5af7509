/** Tests by the API; see the live checklist. */
import type {
  TestConversion,
  TestConversionAnswer,
  TestVisitAnswer,
  TestVisitor,
} from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';

export type { TestVisitor };
export const sendTest = {
  visit: (campaignId: string, visitor: TestVisitor): Promise<TestVisitAnswer> => {
    // An empty field means a sample, not an empty value.
    const values = Object.fromEntries(Object.entries(visitor.values ?? {}).filter(([, v]) => v !== ''));
    return ask('testVisit', { id: campaignId, body: { ...visitor, values } });
  },
  click: (clickId: string, n: number): Promise<{ status: number; location: string }> =>
    ask('testClick', { id: clickId, body: { n } }),
  conversion: (clickId: string, said: TestConversion): Promise<TestConversionAnswer> =>
    ask('testConversion', { id: clickId, body: said }),
};
