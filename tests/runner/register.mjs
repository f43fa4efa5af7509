/**
 * Loaded before Jest for all projects without a document: tests run in plain Node, so that a module is loaded once for
 * all files of a run, not once for each. TypeScript by tsx; `@jest/globals` is what the runner offers, with a time limit.
 */
import { register } from 'node:module';
import 'tsx';

register('./resolveGlobals.mjs', import.meta.url);
