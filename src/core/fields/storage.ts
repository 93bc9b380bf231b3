/** The type of a column, in terms that every database has. */
export type ColumnType =
  | { kind: "text"; max: number }
  | { kind: "long text" }
  /** What files a record has: see `kit/files/stored-file.ts`. */
  | { kind: "files" }
  /** A text that programs compare as it is, such as a checksum. */
  | { kind: "code"; max: number }
  | { kind: "integer" }
  | { kind: "decimal"; places: number }
  | { kind: "boolean" }
  | { kind: "date" }
  | { kind: "time" }
  | { kind: "datetime" };

/** What a value must obey. */
export type Check =
  | { kind: "length"; min?: number; max?: number }
  | { kind: "range"; min?: number | string; max?: number | string }
  | { kind: "one of"; values: string[] };

/** How the values of a type are stored. */
export interface Storage<Type> {
  column(type: Type): ColumnType;
  checks(type: Type): Check[];
  /** The stored value of a text that was found to fit, as data files have it. */
  value(text: string, timezone: string): string | number | boolean;
}

/** The check for some bounds; none where there are no bounds. */
export function bounds(
  kind: "length" | "range",
  min: number | string | undefined,
  max: number | string | undefined,
): Check[] {
  if (min === undefined && max === undefined) return [];
  return [{ kind, ...(min !== undefined && { min }), ...(max !== undefined && { max }) } as Check];
}
