/** What a value in a formula can be. */
export type ValueType =
  | "number"
  | "text"
  | "boolean"
  | "date"
  | "time"
  | "moment"
  | "span"
  | "duration";
