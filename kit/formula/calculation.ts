import type { ValueType } from "./value-type.ts";

/** What can be done with values: what SQL and TypeScript are made of. */
export type Operation =
  | "plus"
  | "minus"
  | "times"
  | "divided by"
  | "remainder"
  | "negative"
  | "absolute"
  | "round"
  | "smallest"
  | "largest"
  | "equal"
  | "different"
  | "less"
  | "at most"
  | "in"
  | "and"
  | "or"
  | "not"
  | "if"
  | "empty"
  | "holds"
  | "starts with"
  | "join"
  | "as text"
  | "lower"
  | "upper"
  | "length"
  | "later"
  | "days between"
  | "year"
  | "month"
  | "day";

/**
 * A formula in which every name is resolved: what is computed, of which columns of which rows. Rows are
 * numbered: 0 is the record that the formula belongs to.
 */
export type Calculation = Result &
  (
    | { kind: "constant"; value: number | string | boolean | null }
    /** A value that somebody typed, which databases get apart from the statement. */
    | { kind: "parameter"; value: number | string | boolean }
    | { kind: "today" | "now" }
    /** The number of the record that whoever asks is. */
    | { kind: "me" }
    /** Whether that record is among those that belong to row `of`, each of which is row `row`. */
    | { kind: "includes me"; of: number; source: RowSource; row: number }
    | {
        kind: "column";
        row: number;
        column: string;
        field: string;
        /** Whether it is a text that has a column beside it where the database needs one to order it. */
        ordered: boolean;
        /** What a text is known to be made of: ASCII, or ASCII without capitals. */
        letters?: "ascii" | "small";
        /** Whether it holds the number of another record. */
        refers: boolean;
      }
    /** A value of the record that a reference leads to, which is row `row`. */
    | { kind: "through"; reference: Calculation; table: string; row: number; value: Calculation }
    /** A figure over the records that refer to one, each of which is row `row`. */
    | {
        kind: "over";
        figure: Figure;
        of: number;
        source: RowSource;
        row: number;
        value?: Calculation;
        condition?: Calculation;
      }
    | {
        kind: "operation";
        name: Operation;
        given: Calculation[];
        /** Whether the result may have more digits than a number has, and is empty then. */
        guarded: boolean;
      }
  );

export type Figure = "count" | "sum" | "average" | "smallest" | "largest";

/** Which rows of a table belong to a record: those whose column holds its number, or that a table of links leads to. */
export interface RowSource {
  table: string;
  /** The column that refers; or the table of links, and its column for either side. */
  by: string | { links: string; from: string; to: string };
}

/** What numbers can measure that are written otherwise. */
export type Measure = "money" | "duration";

export interface Result {
  type: ValueType;
  /** The places behind the point that a number has at most. */
  places: number;
  /** Whether it may be empty. */
  optional: boolean;
  /** What a number is smaller than, whatever its sign. */
  most: number;
  /** What a number measures, where that isn't a mere number. Spans of time are counted in seconds. */
  measure: Measure | undefined;
}

/** Whether a formula looks at the records that refer to its own, or at those that a field of it holds. */
export function looksAtLists(calculation: Calculation): boolean {
  switch (calculation.kind) {
    case "operation":
      return calculation.given.some(looksAtLists);
    case "includes me":
      return calculation.of === 0;
    case "through":
      return looksAtLists(calculation.value);
    case "over":
      return (
        calculation.of === 0 ||
        [calculation.value, calculation.condition].some((each) => each && looksAtLists(each))
      );
    case "constant":
    case "parameter":
    case "today":
    case "now":
    case "me":
    case "column":
      return false;
  }
}

/** Whether a formula looks at other records than its own. */
export function looksAtOthers(calculation: Calculation): boolean {
  return calculation.kind === "operation"
    ? calculation.given.some(looksAtOthers)
    : ["through", "over", "includes me"].includes(calculation.kind);
}

/** Whether a formula gives something else for somebody else. */
export function looksAtMe(calculation: Calculation): boolean {
  switch (calculation.kind) {
    case "me":
    case "includes me":
      return true;
    case "operation":
      return calculation.given.some(looksAtMe);
    case "through":
      return looksAtMe(calculation.reference) || looksAtMe(calculation.value);
    case "over":
      return [calculation.value, calculation.condition].some((each) => each && looksAtMe(each));
    case "constant":
    case "parameter":
    case "today":
    case "now":
    case "column":
      return false;
  }
}

/** The fields of the record itself that are named in a formula, in their order. */
export function namedFields(calculation: Calculation): string[] {
  switch (calculation.kind) {
    case "column":
      return calculation.row === 0 ? [calculation.column] : [];
    case "through":
      return [...namedFields(calculation.reference), ...namedFields(calculation.value)];
    case "over":
      return [calculation.value, calculation.condition].flatMap((each) =>
        each ? namedFields(each) : [],
      );
    case "operation":
      return calculation.given.flatMap(namedFields);
    case "constant":
    case "parameter":
    case "today":
    case "now":
    case "me":
    case "includes me":
      return [];
  }
}

/** What a calculation gives, as formulas are typed. */
export function valueTypeOf({ type, measure }: Result): ValueType {
  return measure === "duration" ? "duration" : type;
}

/** The same with what is written out in it as parameters. */
export function withParameters(calculation: Calculation): Calculation {
  switch (calculation.kind) {
    case "constant": {
      const { value } = calculation;
      return value === null ? calculation : { ...calculation, kind: "parameter", value };
    }
    case "operation":
      return { ...calculation, given: calculation.given.map(withParameters) };
    case "through":
      return { ...calculation, value: withParameters(calculation.value) };
    case "over": {
      const { value, condition } = calculation;
      return {
        ...calculation,
        ...(value && { value: withParameters(value) }),
        ...(condition && { condition: withParameters(condition) }),
      };
    }
    default:
      return calculation;
  }
}
