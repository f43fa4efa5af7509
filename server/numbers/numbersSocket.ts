/** What a server and the numbers process know of each other. Loads nothing of the index, which a server never opens. */
import { join } from 'node:path';
import type { NumbersAsked } from '@tracheon/core/contract';

export const socketOf = (dataFolder: string): string => join(dataFolder, 'numbers.sock');
export const indexOf = (dataFolder: string): string => join(dataFolder, 'numbers.duckdb');
/** How a process ends that finds another at work. */
export const SERVED_ALREADY = 3;

export interface Ask {
  deskId: string;
  asked: NumbersAsked;
}
/** Why there is no answer; the HTTP status of the same name is its own. */
export type Refusal = 'numbers_building' | 'question_too_long' | 'not_found' | 'database_away';
