/**
 * Playwright takes a stack at every step, to say where a test failed, and looks each of its frames up in the source maps. The
 * many that are within packages have none: to look them up took a fifth of the time of Playwright's processes.
 */
const lookedUp = Error.prepareStackTrace;

const isOfPackage = (frame: NodeJS.CallSite): boolean => {
  const file = frame.getFileName() ?? 'node:';
  return file.startsWith('node:') || file.includes('/node_modules/');
};

if (lookedUp)
  Error.prepareStackTrace = (error, frames) => {
    const lineOf = (frame: NodeJS.CallSite): string =>
      isOfPackage(frame)
        ? `    at ${String(frame)}`
        : String(lookedUp(error, [frame]))
            .split('\n')
            .at(-1)!;
    return [String(error), ...frames.map(lineOf)].join('\n');
  };
