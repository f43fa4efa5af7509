import type { BuildOptions } from 'esbuild';

export const asScript: BuildOptions;
export function launcher(path: string, made: string): string;
