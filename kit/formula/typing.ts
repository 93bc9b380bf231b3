import { foreignFunctions } from "./foreign-words.ts";
import { type FunctionRule, functions, rowFunctions } from "./functions.ts";
import { nearest } from "./nearest.ts";
import type { Complaint } from "./parse.ts";
import { printName, printText } from "./print.ts";
import type { Span } from "./tree.ts";
import {
  type BinaryOperator,
  comparing,
  type Expression,
  isMe,
  type Name,
  precedence,
} from "./tree.ts";
import type { ValueType } from "./value-type.ts";

/** What a name means where a formula is. */
export type Meaning =
  | { kind: "value"; type: ValueType; choices?: Choices }
  /** A record of another kind, whose fields can follow behind a point. */
  | { kind: "record"; entity: string }
  /** Records that refer to this one. */
  | { kind: "rows"; entity: string }
  /** Something that formulas can't use, and why. */
  | { kind: "nothing"; reason: string };

/** The texts that a value is one of, and what some of them were before. */
export interface Choices {
  now: readonly string[];
  formerly?: Readonly<Record<string, string>>;
}

/** What formulas can look at. */
export interface Scope {
  /** What a name means in an entity; undefined where there is nothing of that name. */
  meaning(entity: string, name: string): Meaning | undefined;
  /** The name that something in an entity has by now, by the one that it had. */
  renamed(entity: string, name: string): string | undefined;
  /** All names in an entity, for those that are nearly right. */
  names(entity: string): string[];
  /** The entity of `me`, where formulas may look at who asks. */
  readonly me?: string | undefined;
}

/** Why an expression has no type. */
class Mistyped extends Error {
  constructor(
    message: string,
    readonly at: Span,
    readonly help?: string,
    readonly renamed?: string,
  ) {
    super(message);
  }
}

/** The type of what a formula of an entity gives; or what is wrong with it. */
export function typeFormula(
  expression: Expression,
  entity: string,
  scope: Scope,
): { type: ValueType } | { complaint: Complaint } {
  try {
    return { type: new Typing(scope).of(expression, entity) };
  } catch (error) {
    if (!(error instanceof Mistyped)) throw error;
    const { at, message, help, renamed } = error;
    return { complaint: { at, message, ...(help && { help }), ...(renamed && { renamed }) } };
  }
}

export const typeWords: Readonly<Record<ValueType, string>> = {
  number: "a number",
  text: "a text",
  boolean: "true or false",
  date: "a date",
  time: "a time",
  moment: "a moment",
  span: "a number of days",
  duration: "a span of time",
};

class Typing {
  constructor(readonly scope: Scope) {}

  of(expression: Expression, entity: string): ValueType {
    switch (expression.kind) {
      case "number":
      case "text":
      case "boolean":
      case "span":
        return expression.kind;
      case "path":
        return this.#path(expression.names, entity);
      case "call":
        return this.#call(expression, entity);
      case "unary":
        return this.#expect(
          expression.operand,
          entity,
          expression.operator === "not" ? ["boolean"] : ["number", "span", "duration"],
          `behind \`${expression.operator}\``,
        );
      case "binary":
        return this.#binary(expression, entity);
      case "empty":
        if (!this.#isRecord(expression.operand, entity)) this.of(expression.operand, entity);
        return "boolean";
      case "in": {
        const type = this.of(expression.operand, entity);
        for (const each of expression.among) {
          this.#expect(each, entity, [type], "as before `in`");
          this.#chosen(expression.operand, each, entity);
        }
        return "boolean";
      }
    }
  }

  #expect(
    expression: Expression,
    entity: string,
    wanted: readonly ValueType[],
    place: string,
  ): ValueType {
    const type = this.of(expression, entity);
    if (wanted.includes(type)) return type;
    throw new Mistyped(
      `this is ${typeWords[type]}, and ${wanted.map((each) => typeWords[each]).join(" or ")} was expected ${place}`,
      expression.at,
    );
  }

  /** Whether a path ends with a reference, of which no more can be said than whether it is empty. */
  #isRecord(expression: Expression, entity: string): boolean {
    if (expression.kind !== "path") return false;
    let place = entity;
    return expression.names.every(({ text }) => {
      const meaning = this.scope.meaning(place, text);
      if (meaning?.kind === "record") place = meaning.entity;
      return meaning?.kind === "record";
    });
  }

  #path(names: readonly Name[], entity: string): ValueType {
    let place = entity;
    for (const [at, name] of names.entries()) {
      const meaning = this.#meaning(name, place);
      const last = at === names.length - 1;
      if (meaning.kind === "record" && !last) place = meaning.entity;
      else if (meaning.kind === "value" && last) return meaning.type;
      else throw this.#misused(name, meaning, last);
    }
    throw new Error("a path without names");
  }

  #misused({ text, at }: Name, meaning: Meaning, last: boolean): Mistyped {
    switch (meaning.kind) {
      case "value":
        return new Mistyped(
          `nothing can follow behind \`${text}\`, which is ${typeWords[meaning.type]}`,
          at,
        );
      case "record":
        return new Mistyped(
          `\`${text}\` is a record, ${meaning.entity}`,
          at,
          `ask whether it \`is empty\`, or name one of its fields, as in \`${text}.${this.scope.names(meaning.entity)[0] ?? "name"}\``,
        );
      case "rows":
        return new Mistyped(
          `\`${text}\` are any number of records, ${meaning.entity}`,
          at,
          last
            ? `count them with \`count(${text})\``
            : "take one value of them, with `sum`, `largest` or the like",
        );
      case "nothing":
        return new Mistyped(meaning.reason, at);
    }
  }

  #meaning({ text, at }: Name, entity: string): Meaning {
    const meaning = this.scope.meaning(entity, text);
    if (meaning) return meaning;
    const renamed = this.scope.renamed(entity, text);
    if (renamed !== undefined) {
      throw new Mistyped(
        `\`${text}\` is called \`${renamed}\` now`,
        at,
        "write the new name; `levadura check --fix` does it in all formulas",
        printName(renamed),
      );
    }
    const close = nearest(text, this.scope.names(entity));
    throw new Mistyped(
      `${entity} has no field \`${text}\``,
      at,
      close ? `did you mean \`${close}\`?` : `it has ${this.scope.names(entity).join(", ")}`,
    );
  }

  #binary({ operator, left, right, at }: Extract<Expression, { kind: "binary" }>, entity: string) {
    if (operator === "and" || operator === "or") {
      for (const side of [left, right])
        this.#expect(side, entity, ["boolean"], `beside \`${operator}\``);
      return "boolean";
    }
    if (operator === "includes" || this.#asksMe(left, entity) || this.#asksMe(right, entity)) {
      return this.#compareWithMe({ operator, left, right, at }, entity);
    }
    if (operator === "contains" || operator === "begins with") {
      for (const side of [left, right])
        this.#expect(side, entity, ["text"], `beside \`${operator}\``);
      return "boolean";
    }
    if ((operator === "=" || operator === "<>") && this.#areRecords(left, right, entity)) {
      return "boolean";
    }
    const types = [this.of(left, entity), this.of(right, entity)] as const;
    if (precedence(operator) === comparing) {
      if (operator === "=" || operator === "<>") {
        this.#chosen(left, right, entity);
        this.#chosen(right, left, entity);
      }
      if (types[0] === types[1]) return "boolean";
      throw new Mistyped(
        `${typeWords[types[0]]} can't be compared with ${typeWords[types[1]]}`,
        at,
      );
    }
    const found = results(operator, types);
    if (found) return found;
    throw new Mistyped(
      `\`${operator}\` doesn't work between ${typeWords[types[0]]} and ${typeWords[types[1]]}`,
      at,
      types.includes("text") && operator === "+" ? "texts are joined with `&`" : undefined,
    );
  }

  /** Whether both sides lead to records of one entity, as in `hive.apiary = apiary`. */
  #areRecords(left: Expression, right: Expression, entity: string): boolean {
    if (left.kind !== "path" || right.kind !== "path") return false;
    const [one, other] = [left, right].map(({ names }) => this.#meaningAt(names, entity));
    return one?.kind === "record" && other?.kind === "record" && one.entity === other.entity;
  }

  /** What a path leads to; undefined where it leads nowhere, which is told elsewhere. */
  #meaningAt(names: readonly Name[], entity: string): Meaning | undefined {
    let place = entity;
    let meaning: Meaning | undefined;
    for (const [at, name] of names.entries()) {
      meaning = this.scope.meaning(place, name.text);
      if (meaning?.kind !== "record") return at === names.length - 1 ? meaning : undefined;
      place = meaning.entity;
    }
    return meaning;
  }

  #asksMe(expression: Expression, entity: string): boolean {
    return isMe(expression) && this.scope.meaning(entity, "me") === undefined;
  }

  /** `warden = me`, `warden <> me`, `keepers includes me`; and `id = me` of records that people are. */
  #compareWithMe(
    { operator, left, right, at }: Omit<Extract<Expression, { kind: "binary" }>, "kind">,
    entity: string,
  ): ValueType {
    const { me } = this.scope;
    const [person, other] =
      this.#asksMe(left, entity) && operator !== "includes" ? [left, right] : [right, left];
    if (!this.#asksMe(person, entity)) {
      throw new Mistyped(
        "only `me` can follow `includes`",
        right.at,
        "as in `keepers includes me`",
      );
    }
    if (me === undefined) {
      throw new Mistyped(
        "`me` isn't known here",
        person.at,
        "it can be used in `rights`, if `users` has a `record`: the entity whose records people are",
      );
    }
    const meaning = other.kind === "path" ? this.#lastMeaning(other.names, entity) : undefined;
    const wanted = operator === "includes" ? "rows" : "record";
    const fits =
      meaning?.kind === wanted
        ? meaning.entity === me
        : wanted === "record" && meaning?.kind === "value" && this.#isOwnNumber(other, entity, me);
    if (fits && ["=", "<>", "includes"].includes(operator)) return "boolean";
    throw new Mistyped(
      `\`me\` is a record of ${me}, which this can't be compared with`,
      at,
      "as in `warden = me` or `keepers includes me`",
    );
  }

  #isOwnNumber(expression: Expression, entity: string, me: string): boolean {
    const [only, ...more] = expression.kind === "path" ? expression.names : [];
    return only?.text === "id" && more.length === 0 && entity === me;
  }

  /** What a path leads to. */
  #lastMeaning(names: readonly Name[], entity: string): Meaning | undefined {
    let place = entity;
    let meaning: Meaning | undefined;
    for (const [at, name] of names.entries()) {
      meaning = this.#meaning(name, place);
      const last = at === names.length - 1;
      if (!last && meaning.kind !== "record") throw this.#misused(name, meaning, last);
      if (meaning.kind === "record") place = meaning.entity;
    }
    return meaning;
  }

  /** A text that a choice is compared with has to be one of its own. */
  #chosen(value: Expression, text: Expression, entity: string): void {
    if (value.kind !== "path" || text.kind !== "text" || text.value === "") return;
    let place = entity;
    let choices: Choices | undefined;
    for (const { text: name } of value.names) {
      const meaning = this.scope.meaning(place, name);
      if (meaning?.kind === "record") place = meaning.entity;
      choices = meaning?.kind === "value" ? meaning.choices : undefined;
    }
    const { now = [], formerly = {} } = choices ?? {};
    const same = (choice: string) => choice.toLowerCase() === text.value.toLowerCase();
    if (!choices || now.some(same)) return;
    const name = value.names.at(-1)?.text;
    const [renamed] = Object.entries(formerly).find(([, before]) => same(before)) ?? [];
    if (renamed !== undefined) {
      throw new Mistyped(
        `the choice \`${text.value}\` of \`${name}\` is called \`${renamed}\` now`,
        text.at,
        "write the new one; `levadura check --fix` does it in all formulas",
        printText(renamed),
      );
    }
    const close = nearest(text.value, now);
    throw new Mistyped(
      `\`${name}\` has no choice \`${text.value}\``,
      text.at,
      close ? `did you mean \`${close}\`?` : `its choices are ${now.join(", ")}`,
    );
  }

  #call(expression: Extract<Expression, { kind: "call" }>, entity: string): ValueType {
    const { name, given, at } = expression;
    if (name === "if") return this.#if(expression, entity);
    if (Object.hasOwn(rowFunctions, name)) return this.#rows(expression, entity);
    const rule = Object.hasOwn(functions, name) ? functions[name] : undefined;
    if (!rule) {
      const known = ["if", ...Object.keys(functions), ...Object.keys(rowFunctions)];
      const ours = Object.hasOwn(foreignFunctions, name) ? foreignFunctions[name] : undefined;
      const close = nearest(name, known);
      throw new Mistyped(
        `there is no function \`${name}\``,
        { start: at.start, end: at.start + name.length },
        ours
          ? `write \`${ours}\``
          : close
            ? `did you mean \`${close}\`?`
            : `there are ${known.join(", ")}`,
      );
    }
    this.#checkCount(expression, rule);
    const types = given.map((each, place) => {
      const wanted = rule.takes[Math.min(place, rule.takes.length - 1)] ?? [];
      return this.#expect(each, entity, wanted, `in \`${name}\``);
    });
    const odd = rule.alike ? types.findIndex((type) => type !== types[0]) : -1;
    if (odd > 0 && types[0]) {
      throw new Mistyped(
        `this is ${typeWords[types[odd] as ValueType]}, and what stands before it is ${typeWords[types[0]]}`,
        given[odd]?.at ?? at,
      );
    }
    return rule.gives === "the same" ? (types[0] as ValueType) : rule.gives;
  }

  #checkCount(
    { name, given, at }: Extract<Expression, { kind: "call" }>,
    { takes, least = takes.length, more, example }: FunctionRule,
  ): void {
    if (given.length >= least && (more || given.length <= takes.length)) return;
    const wanted = more
      ? `${least} or more`
      : least === takes.length
        ? least
        : `${least} or ${takes.length}`;
    throw new Mistyped(
      `\`${name}\` takes ${wanted} ${wanted === 1 ? "value" : "values"}, and has ${given.length}`,
      at,
      `write it as \`${example}\``,
    );
  }

  #if({ given, at }: Extract<Expression, { kind: "call" }>, entity: string): ValueType {
    const [condition, one, other] = given;
    if (!condition || !one || !other || given.length > 3) {
      throw new Mistyped(
        "`if` takes a condition and two values",
        at,
        "write it as `if(weight > 20, 'full', 'light')`",
      );
    }
    this.#expect(condition, entity, ["boolean"], "first in `if`");
    return this.#expect(other, entity, [this.of(one, entity)], "as the value before it");
  }

  /** `sum(harvests.weight, harvests.year = 2026)`: what follows the comma is asked of each record. */
  #rows({ name, given, at }: Extract<Expression, { kind: "call" }>, entity: string): ValueType {
    const rule = rowFunctions[name];
    const [over, condition] = given;
    if (!rule || over?.kind !== "path" || given.length > 2) {
      throw new Mistyped(
        `\`${name}\` takes records that refer to this one`,
        over?.at ?? at,
        `write it as \`${rule?.example}\``,
      );
    }
    const [rows, ...rest] = over.names as [Name, ...Name[]];
    const meaning = this.#meaning(rows, entity);
    if (meaning.kind !== "rows") {
      throw new Mistyped(
        `\`${rows.text}\` is not a list of records`,
        rows.at,
        `write it as \`${rule.example}\``,
      );
    }
    if (rest.length > 0 !== (rule.takes !== undefined)) {
      const help = rule.takes
        ? `name a field of them, as in \`${rule.example}\``
        : `leave the field out, as in \`${rule.example}\``;
      throw new Mistyped(
        `\`${name}\` counts on ${rule.takes ? "a field" : "the records"} here`,
        over.at,
        help,
      );
    }
    if (condition) {
      const inner = new Typing(withRows(this.scope, entity, rows.text, meaning.entity));
      inner.#expect(condition, entity, ["boolean"], "as the condition");
    }
    if (!rule.takes) return "number";
    const type = this.#path(rest, meaning.entity);
    if (!rule.takes.includes(type)) {
      throw new Mistyped(
        `\`${name}\` doesn't take ${typeWords[type]}`,
        over.at,
        `it takes ${rule.takes.map((each) => typeWords[each]).join(" or ")}`,
      );
    }
    return rule.gives === "the same" ? type : rule.gives;
  }
}

/** Within a condition, the name of the list means the one record that is asked about. */
function withRows(scope: Scope, entity: string, rows: string, of: string): Scope {
  return {
    names: (place) => scope.names(place),
    renamed: (place, name) => scope.renamed(place, name),
    meaning: (place, name) =>
      place === entity && name === rows
        ? { kind: "record", entity: of }
        : scope.meaning(place, name),
  };
}

/** What an operator between two types gives; undefined where it doesn't work between them. */
function results(
  operator: BinaryOperator,
  [left, right]: readonly [ValueType, ValueType],
): ValueType | undefined {
  if (operator === "&") {
    const isWritten = (type: ValueType) => type !== "boolean" && type !== "duration";
    return isWritten(left) && isWritten(right) ? "text" : undefined;
  }
  return known[`${left} ${operator} ${right}`];
}

const known: Readonly<Record<string, ValueType>> = {
  "number + number": "number",
  "number - number": "number",
  "number * number": "number",
  "number / number": "number",
  "number % number": "number",
  "date + span": "date",
  "span + date": "date",
  "date - span": "date",
  "moment + span": "moment",
  "span + moment": "moment",
  "moment - span": "moment",
  "date - date": "span",
  "span + span": "span",
  "span - span": "span",
  "span * number": "span",
  "number * span": "span",
  "duration + duration": "duration",
  "duration - duration": "duration",
  "duration * number": "duration",
  "number * duration": "duration",
  "duration / number": "duration",
  "duration / duration": "number",
};
