import type { ConversionStatus } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';

/** A conversion reaches a status, or the same status with another payout. */
export interface Transition {
  receiptId: string;
  at: number;
  status: ConversionStatus;
  before: ConversionStatus | null;
  payout: Micros;
  currency: string;
}
