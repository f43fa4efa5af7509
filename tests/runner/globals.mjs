/** What tests import from `@jest/globals`, with the limit that the runner itself does not know. */
const { describe, expect, jest } = globalThis;
export { describe, expect, jest };

/** A bound for a test that hangs, not for how fast a machine is. */
const LIMIT_MS = 240_000;
const { setTimeout: later, clearTimeout: never } = globalThis;

const within =
  (work, limitMs = LIMIT_MS) =>
  (...given) =>
    new Promise((resolve, reject) => {
      const limit = later(() => reject(new Error(`It did not end within ${limitMs / 1000} s.`)), limitMs);
      Promise.resolve()
        .then(() => work(...given))
        .then(resolve, reject)
        .finally(() => never(limit));
    });

const bounded = (declare) => {
  const each =
    (...table) =>
    (title, work, limitMs) =>
      declare.each(...table)(title, within(work, limitMs));
  return Object.assign((title, work, limitMs) => declare(title, within(work, limitMs)), declare, { each });
};

export const it = bounded(globalThis.it);

const hook = (declare) => (work, limitMs) => declare(within(work, limitMs));
export const beforeAll = hook(globalThis.beforeAll);
export const beforeEach = hook(globalThis.beforeEach);
export const afterAll = hook(globalThis.afterAll);
export const afterEach = hook(globalThis.afterEach);
