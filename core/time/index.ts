export * from './localDay.ts';
export * from './periods.ts';
export * from './capPeriod.ts';
export * from './localHour.ts';
export * from './wallClock.ts';
export * from './writtenDates.ts';
