/** What a branch is decided by: the visit as far as it is known before it is sent somewhere. */
import type { StoredVisit, VisitField } from '../visits/index.ts';

/** Columns that a condition may ask for; see core/visits/conditions.ts. */
type Asked = Extract<
  VisitField,
  | 'country'
  | 'region'
  | 'city'
  | 'isp'
  | 'connection'
  | 'language'
  | 'device'
  | 'deviceModel'
  | 'os'
  | 'osVersion'
  | 'browser'
  | 'browserVersion'
  | 'referrerHost'
  | 'sourceId'
  | 'broughtBy'
  | 'isUnique'
  | 'costMicros'
  | 'subs'
>;

export type VisitFacts = Readonly<Pick<StoredVisit, Asked>>;

/** What the visitor's cookie tells of earlier visits of this browser: of the last eight. */
export interface VisitorHistory {
  hasConverted: boolean;
  /** IDs of the offers that those visits went to. */
  offerIds: ReadonlySet<string>;
}

export interface RoutingVisitor {
  visit: VisitFacts;
  /** The whole address, which the visit itself does not keep. */
  address: string;
  nowMs: number;
  /** Read only when a condition asks for it; absent: a visitor without a cookie. */
  history?: () => VisitorHistory;
}
