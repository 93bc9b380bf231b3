import { comparing, type Expression, precedence, words } from "./tree.ts";

/** A formula as text, with the brackets that it needs: parsing it gives the same tree. */
export function printFormula(expression: Expression): string {
  return `= ${print(expression, 0)}`;
}

/** The precedence of an expression: the higher, the fewer brackets it needs. */
function tightness(expression: Expression): number {
  switch (expression.kind) {
    case "binary":
      return precedence(expression.operator);
    case "empty":
    case "in":
      return comparing;
    case "unary":
      return expression.operator === "not" ? comparing - 0.5 : 10;
    default:
      return 20;
  }
}

/** An expression of at least this precedence, in brackets if necessary. */
function print(expression: Expression, least: number): string {
  const text = plain(expression);
  return tightness(expression) < least ? `(${text})` : text;
}

function plain(expression: Expression): string {
  switch (expression.kind) {
    case "number":
      return expression.text;
    case "text":
      return printText(expression.value);
    case "boolean":
      return String(expression.value);
    case "span":
      return `${expression.count} ${expression.unit}`;
    case "path":
      return expression.names.map(({ text }) => printName(text)).join(".");
    case "call":
      return expression.name === "today" || expression.name === "now"
        ? expression.name
        : `${expression.name}(${expression.given.map((each) => print(each, 0)).join(", ")})`;
    case "unary":
      return expression.operator === "not"
        ? `not ${print(expression.operand, comparing)}`
        : `-${print(expression.operand, 10)}`;
    case "binary": {
      const own = tightness(expression);
      const inner = own === comparing ? own + 1 : own;
      return `${print(expression.left, inner)} ${expression.operator} ${print(expression.right, own + 1)}`;
    }
    case "empty":
      return `${print(expression.operand, comparing + 1)} is ${expression.negated ? "not " : ""}empty`;
    case "in":
      return `${print(expression.operand, comparing + 1)} ${expression.negated ? "not " : ""}in (${expression.among.map((each) => print(each, 0)).join(", ")})`;
  }
}

/** A text in quotes. */
export function printText(text: string): string {
  return `'${text.replaceAll("'", "''")}'`;
}

/** A name, in braces where it is a word of the language. */
export function printName(name: string): string {
  const parts = name.split(" via ").map((part) => {
    const isPlain = /^[\p{L}_][\p{L}\p{N}_]*$/u.test(part) && !words.has(part.toLowerCase());
    return isPlain ? part : `{${part}}`;
  });
  return parts.join(" via ");
}
