/** A quoted name. */
export function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** A value, written out. */
export function literal(value: string | number | boolean): string {
  if (typeof value === "boolean") return value ? "1" : "0";
  if (typeof value === "number") return String(value);
  const text = `'${value.replaceAll("'", "''")}'`;
  // No line of a script begins like an order to the runner within a text.
  return text.includes("\n-- ") ? `(${text.replaceAll("\n-- ", "' || char(10) || '-- ")})` : text;
}
