/** What is used of jstat, which ships no types. */
declare module 'jstat' {
  const jstat: {
    /** Regularised lower incomplete gamma function P(shape, x). */
    lowRegGamma: (shape: number, x: number) => number;
  };
  export default jstat;
}
