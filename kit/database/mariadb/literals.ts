/** The collation of all texts: letters are the same in either case, but for their accents; blanks at the end count. */
export const collation = "utf8mb4_uca1400_nopad_as_ci";

/** A quoted name. */
export function quoted(name: string): string {
  return `\`${name.replaceAll("`", "``")}\``;
}

/** A value, written out. */
export function literal(value: string | number | boolean): string {
  if (typeof value !== "string") return String(value);
  return `'${value.replaceAll("\\", "\\\\").replaceAll("'", "''").replaceAll("\n", "\\n")}'`;
}
