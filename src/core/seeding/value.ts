/** A value of a sample row, as its column has it. */
export type Value = string | number | boolean | null;
