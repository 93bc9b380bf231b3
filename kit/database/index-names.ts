/**
 * The columns of a unique index, which is called after its table and them: `hive_apiary_id_code_key`. `names` are
 * the columns that it may have.
 */
export function columnsOfIndex(index: string, names: readonly string[]): string[] {
  const longest = [...names].sort((a, b) => b.length - a.length);
  const columns: string[] = [];
  for (let rest = index.replace(/_key$/, ""); ; ) {
    const name = longest.find((each) => rest.endsWith(`_${each}`));
    if (!name) return columns.length > 0 ? columns : [index];
    columns.unshift(name);
    rest = rest.slice(0, -name.length - 1);
  }
}
