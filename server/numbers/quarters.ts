/** Of an hour: every zone is off by whole ones. Kept with each visit, since dividing takes a third of the time of sums by time. */
export const QUARTER_MS = 900_000;
export const quarterSql = (ms: string): string => `(${ms} // ${QUARTER_MS})::INTEGER`;
