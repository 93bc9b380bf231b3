import { Complained, type Complaint } from "./complaint.ts";
import { type Token, tokensOf } from "./tokens.ts";
import type { Span } from "./tree.ts";
import {
  type BinaryOperator,
  binaryOperators,
  comparing,
  type Expression,
  words as languageWords,
  type Name,
  viaName,
} from "./tree.ts";
import type { FormulaWords, Says } from "./words.ts";

/** The longest formula, in characters, and how deep brackets and operators may be within each other. */
const most = { length: 2000, depth: 60 };

/** Reads a formula, which begins with `=`: what it says, or what is wrong with it. Never throws. */
export function parseFormula(text: string): { expression: Expression } | { complaint: Complaint } {
  try {
    if (text.length > most.length) {
      throw new Complained(
        (words) => words.tooLong(text.length, most.length),
        { start: 0, end: 1 },
        (words) => words.partsApart,
      );
    }
    return { expression: new Parser(text).formula() };
  } catch (error) {
    if (!(error instanceof Complained)) throw error;
    return { complaint: error.complaint };
  }
}

class Parser {
  readonly #tokens: Token[];
  #place = 0;
  #depth = 0;

  constructor(readonly text: string) {
    this.#tokens = tokensOf(text);
  }

  formula(): Expression {
    if (!this.#takes("=")) {
      throw new Complained((words) => words.beginsWithSign, { start: 0, end: 1 });
    }
    const expression = this.#level(0);
    const { kind, at } = this.#token;
    if (kind === "end") return expression;
    throw new Complained(
      this.#with((words, shown) => words.cantFollow(shown)),
      at,
      (words) => words.operatorExpected,
    );
  }

  get #token(): Token {
    return this.#tokens[Math.min(this.#place, this.#tokens.length - 1)] as Token;
  }

  #ahead(by: number): Token | undefined {
    return this.#tokens[this.#place + by];
  }

  /** A sentence about the present token. */
  #with(says: (words: FormulaWords, shown: string) => string): Says {
    const { kind, at } = this.#token;
    const text = `\`${this.text.slice(at.start, at.end)}\``;
    return (words) => says(words, kind === "end" ? words.theEnd : text);
  }

  #is(text: string, token: Token | undefined = this.#token): boolean {
    if (!token || (token.kind !== "word" && token.kind !== "sign")) return false;
    return token.text.toLowerCase() === text;
  }

  #takes(text: string): boolean {
    if (!this.#is(text)) return false;
    this.#place++;
    return true;
  }

  #expect(text: string, why: Says): Token {
    const token = this.#token;
    if (this.#takes(text)) return token;
    throw new Complained(
      this.#with((words, shown) => words.standsFor(shown, text, why(words))),
      token.at,
    );
  }

  #within<Result>(work: () => Result): Result {
    if (++this.#depth > most.depth) {
      throw new Complained(
        (words) => words.tooDeep(most.depth),
        this.#token.at,
        (words) => words.partsApart,
      );
    }
    const result = work();
    this.#depth--;
    return result;
  }

  /** An expression of at least this precedence. */
  #level(level: number): Expression {
    if (level === 2 && this.#is("not")) return this.#not();
    if (level >= binaryOperators.length) return this.#negative();
    let left = this.#level(level + 1);
    for (;;) {
      const operator = this.#operator(level);
      if (operator) {
        const right = this.#level(level + 1);
        left = { kind: "binary", operator, left, right, at: spanning(left, right) };
        if (level === comparing) return this.#compared(left);
      } else if (level === comparing && (this.#is("is") || this.#is("in") || this.#isNotIn())) {
        left = this.#condition(left);
        return this.#compared(left);
      } else return left;
    }
  }

  #isNotIn(): boolean {
    return this.#is("not") && this.#is("in", this.#ahead(1));
  }

  /** Comparisons aren't compared again: `a < b < c` means something else than it seems. */
  #compared(expression: Expression): Expression {
    const again = this.#is("is") || this.#is("in") || this.#operator(comparing, true) !== undefined;
    if (!again) return expression;
    throw new Complained(
      (words) => words.comparedAlready,
      this.#token.at,
      (words) => words.andBetween,
    );
  }

  #operator(level: number, only = false): BinaryOperator | undefined {
    const found = binaryOperators[level]?.find((operator) => {
      const [first = "", second] = operator.split(" ");
      return this.#is(first) && (!second || this.#is(second, this.#ahead(1)));
    });
    if (found && !only) this.#place += found.split(" ").length;
    return found;
  }

  #not(): Expression {
    const { at } = this.#token;
    this.#place++;
    const operand = this.#within(() => this.#level(comparing));
    return {
      kind: "unary",
      operator: "not",
      operand,
      at: { start: at.start, end: operand.at.end },
    };
  }

  /** `is empty`, `is not empty`, `in (…)`, `not in (…)`. */
  #condition(operand: Expression): Expression {
    const { start } = operand.at;
    if (this.#takes("is")) {
      const negated = this.#takes("not");
      const { at } = this.#expect("empty", (words) => words.asIn("removed is empty"));
      return { kind: "empty", operand, negated, at: { start, end: at.end } };
    }
    const negated = this.#takes("not");
    this.#expect("in", (words) => words.asIn("status in ('weak', 'queenless')"));
    this.#expect("(", (words) => words.beforeValues);
    const { list, end } = this.#list();
    if (list.length > 0) return { kind: "in", operand, among: list, negated, at: { start, end } };
    throw new Complained((words) => words.noValues, { start: end - 1, end });
  }

  #negative(): Expression {
    const { at } = this.#token;
    if (!this.#takes("-")) return this.#primary();
    const operand = this.#within(() => this.#negative());
    return { kind: "unary", operator: "-", operand, at: { start: at.start, end: operand.at.end } };
  }

  #primary(): Expression {
    const token = this.#token;
    const { kind, text, at } = token;
    if (kind === "number") return this.#number();
    if (kind === "text") {
      this.#place++;
      return { kind: "text", value: text, at };
    }
    if (this.#takes("(")) {
      const inner = this.#within(() => this.#level(0));
      const { at: close } = this.#expect(")", (words) => words.toClose);
      return { ...inner, at: { start: at.start, end: close.end } };
    }
    if (kind === "field") return this.#path();
    if (kind === "word") return this.#word();
    throw new Complained(
      this.#with((words, shown) => (kind === "end" ? words.missingAtEnd : words.notAllowed(shown))),
      kind === "end" ? { start: Math.max(0, at.start - 1), end: at.end } : at,
      (words) => words.valueExpected,
    );
  }

  #number(): Expression {
    const { text, at } = this.#token;
    this.#place++;
    const unit = /^(day|week)s?$/i.exec(this.#token.kind === "word" ? this.#token.text : "");
    if (!unit) return { kind: "number", text, at };
    const { end } = this.#token.at;
    this.#place++;
    const plural = unit[1]?.toLowerCase() === "day" ? "days" : "weeks";
    return { kind: "span", count: text, unit: plural, at: { start: at.start, end } };
  }

  #word(): Expression {
    const { text, at } = this.#token;
    const small = text.toLowerCase();
    if (small === "true" || small === "false") {
      this.#place++;
      return { kind: "boolean", value: small === "true", at };
    }
    if (this.#is("(", this.#ahead(1))) {
      this.#place += 2;
      const { list, end } = this.#list();
      return { kind: "call", name: small, given: list, at: { start: at.start, end } };
    }
    if (small === "today" || small === "now") {
      this.#place++;
      return { kind: "call", name: small, given: [], at };
    }
    if (languageWords.has(small)) {
      throw new Complained(
        (words) => words.notAllowed(`\`${text}\``),
        at,
        (words) => words.calledSo(text),
      );
    }
    return this.#path();
  }

  /** The list between brackets, separated by commas; the opening bracket has been read. */
  #list(): { list: Expression[]; end: number } {
    const list: Expression[] = [];
    if (!this.#is(")")) {
      do list.push(this.#within(() => this.#level(0)));
      while (this.#takes(","));
    }
    return { list, end: this.#expect(")", (words) => words.toClose).at.end };
  }

  #path(): Expression {
    const names: Name[] = [this.#name()];
    while (this.#takes(".")) names.push(this.#name());
    const [first, last] = [names[0], names.at(-1)];
    return { kind: "path", names, at: { start: first?.at.start ?? 0, end: last?.at.end ?? 0 } };
  }

  /** A name; or a list by the field through which its records refer to this one, as `hives via home`. */
  #name(): Name {
    const name = this.#plainName();
    if (!this.#is("via") || !["word", "field"].includes(this.#ahead(1)?.kind ?? "")) return name;
    this.#place++;
    const field = this.#plainName();
    const at = { start: name.at.start, end: field.at.end };
    return { text: viaName(name.text, field.text), at };
  }

  #plainName(): Name {
    const { kind, text, at } = this.#token;
    if (kind !== "word" && kind !== "field") {
      throw new Complained(
        this.#with((words, shown) => words.nameExpected(shown)),
        at,
      );
    }
    this.#place++;
    return { text: text.normalize("NFC"), at };
  }
}

function spanning(left: Expression, right: Expression): Span {
  return { start: left.at.start, end: right.at.end };
}
