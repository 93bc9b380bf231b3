/** Passes rows on in batches; the last batch may be smaller. */
export async function inBatches(
  rows: AsyncIterable<unknown[]>,
  size: number,
  take: (batch: unknown[][]) => unknown,
): Promise<void> {
  let waiting: unknown[][] = [];
  for await (const row of rows) {
    waiting.push(row);
    if (waiting.length < size) continue;
    await take(waiting);
    waiting = [];
  }
  if (waiting.length > 0) await take(waiting);
}
