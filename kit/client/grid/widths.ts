/** The least width of a column, in pixels. */
const least = 112;

/**
 * Keeps the widths that the columns have, with some room for what will be typed: otherwise the whole table is laid out
 * again after each cell, and its columns move under the hands of whoever types.
 */
export function keepWidths(table: HTMLTableElement): void {
  const heads = [...(table.tHead?.rows[0]?.cells ?? [])];
  const widths = heads.map(({ offsetWidth }, at) =>
    at === 0 ? offsetWidth : Math.max(offsetWidth, least),
  );
  for (const [at, head] of heads.entries()) head.style.width = `${widths[at]}px`;
  table.style.width = `${widths.reduce((sum, width) => sum + width, 0)}px`;
  table.style.tableLayout = "fixed";
}
