/** The entry of the partner page. As in the desk's: Zod is told first not to compile code. */
import '../base/withoutEval.ts';

void import('./start.ts');
