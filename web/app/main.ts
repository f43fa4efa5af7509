/**
 * The entry. Everything that makes schemas comes after Zod was told not to compile code: by a dynamic import, since the
 * bundler is free to run what is imported statically in chunks of its own, and before this one.
 */
import '../base/withoutEval.ts';

void import('./start.ts');
