/** How often a property is tried: a tenth as often where tests are to be quick. */
export function runs(usual: number): { numRuns: number } {
  return { numRuns: process.env.FEWER_RUNS ? Math.ceil(usual / 10) : usual };
}
