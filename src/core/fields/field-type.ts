/** The type of a field as the model declares it. */
export type FieldType =
  | Limited<"text">
  | Limited<"long text">
  | Limited<"email">
  | Limited<"url">
  | Limited<"phone">
  | { kind: "integer"; min?: number; max?: number }
  | Decimal<"decimal">
  | Decimal<"money">
  | Decimal<"percent">
  | { kind: "date"; min?: DateBound; max?: DateBound }
  | { kind: "boolean" }
  | { kind: "time" }
  | { kind: "duration" }
  | { kind: "datetime" }
  | { kind: "color" }
  | { kind: "place" }
  | FilesOf<"image">
  | FilesOf<"file">
  | { kind: "tags" }
  /** Only until the model is read: it is a `one` then. */
  | { kind: "user" }
  | {
      kind: "choice";
      choices: string[];
      /** The values that some of them had before. */
      formerly?: Readonly<Record<string, string>>;
    }
  | {
      kind: "formula";
      formula: string;
      /** Where its text begins in the file, as of any formula. */
      origin?: number;
      /** The places that a number is rounded to. */
      rounded?: number;
    }
  | {
      kind: "one";
      entity: string;
      /** Whether people choose among the records of those who can sign in. */
      signsIn?: true;
    }
  | { kind: "many"; entity: string }
  | { kind: "part of"; entity: string };

export type Kind = FieldType["kind"];

/** The types of one kind. */
export type TypeOf<K extends Kind> = Extract<FieldType, { kind: K }>;

/** A text, with the bounds of its length in characters. */
interface Limited<K> {
  kind: K;
  min?: number;
  max?: number;
}

/** Files: how many there may be, one if nothing is said, and how large each, in bytes. */
export interface FilesOf<K> {
  kind: K;
  min?: number;
  max?: number;
  size: number;
}

interface Decimal<K> {
  kind: K;
  places: number;
  min?: number;
  max?: number;
}

/** A bound of a date: a day as `2020-01-01`, or the day on which it is checked. */
export type DateBound = string;

/** A value that a new record starts with. */
export type Default = { value: string | number | boolean } | { moment: "today" | "now" };
