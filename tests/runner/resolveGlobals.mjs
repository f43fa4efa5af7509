/** The package `@jest/globals` refuses to be loaded outside Jest's own module system. */
const globals = new URL('./globals.mjs', import.meta.url).href;

export const resolve = (specifier, context, next) =>
  specifier === '@jest/globals' ? { url: globals, shortCircuit: true } : next(specifier, context);
