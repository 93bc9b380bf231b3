/** The collation of all texts: letters are the same in either case, but for their accents. */
export const collation = "levadura_text";

/** A quoted name. */
export function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** A value, written out. */
export function literal(value: string | number | boolean): string {
  if (typeof value !== "string") return String(value);
  const text = value.replaceAll("'", "''");
  // No line of a script begins within a text, where it could look like an order to the runner.
  return text.includes("\n")
    ? `E'${text.replaceAll("\\", "\\\\").replaceAll("\n", "\\n")}'`
    : `'${text}'`;
}
