export * from './query.ts';
export * from './compose.ts';
export * from './checks.ts';
export * from './finding.ts';
export * from './parts.ts';
export * from './reader.ts';
export * from './extractLinks.ts';
export * from './handOver.ts';
