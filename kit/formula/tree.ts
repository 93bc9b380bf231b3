/** A part of a text, by the places of its characters. */
export interface Span {
  start: number;
  end: number;
}

/** A formula, as it is understood. Places are offsets in its text. */
export type Expression = { at: Span } & (
  | { kind: "number"; text: string }
  | { kind: "text"; value: string }
  | { kind: "boolean"; value: boolean }
  /** A span of time in days: `90 days`. */
  | { kind: "span"; count: string; unit: "days" | "weeks" }
  /** A field; or one at the end of references: `apiary.town`. */
  | { kind: "path"; names: Name[] }
  | { kind: "call"; name: string; given: Expression[] }
  | { kind: "unary"; operator: "-" | "not"; operand: Expression }
  | { kind: "binary"; operator: BinaryOperator; left: Expression; right: Expression }
  | { kind: "empty"; operand: Expression; negated: boolean }
  | { kind: "in"; operand: Expression; among: Expression[]; negated: boolean }
);

export interface Name {
  text: string;
  at: Span;
}

/** The records of a list that refer to one by a field, where several of their fields could: `hives via home`. */
export function viaName(list: string, field: string): string {
  return `${list} via ${field}`;
}

/** Operators between two expressions, those that bind least first; on one line, those that bind alike. */
export const binaryOperators = [
  ["or"],
  ["and"],
  ["=", "<>", "<", "<=", ">", ">=", "contains", "begins with", "includes"],
  ["&"],
  ["+", "-"],
  ["*", "/", "%"],
] as const;

export type BinaryOperator = (typeof binaryOperators)[number][number];

/** Words that mean something in a formula; a field that is called so is written in braces, as `{in}`. */
export const words: ReadonlySet<string> = new Set(
  "and or not is empty in if true false contains begins with day days week weeks today now".split(
    " ",
  ),
);

/** Whether an expression is `me`: whoever asks, where formulas may look at that. A field that is called so comes first. */
export function isMe(expression: Expression): boolean {
  return (
    expression.kind === "path" &&
    expression.names.length === 1 &&
    expression.names[0]?.text.toLowerCase() === "me"
  );
}

/** The precedence of an operator, counted from 0. */
export function precedence(operator: BinaryOperator): number {
  return binaryOperators.findIndex((level) => (level as readonly string[]).includes(operator));
}

/** The precedence of comparisons, `is empty` and `in`. */
export const comparing = precedence("=");

/** An expression without its places, to be compared with another. */
export function bare(expression: Expression): unknown {
  return JSON.parse(JSON.stringify(expression, (key, value) => (key === "at" ? undefined : value)));
}
