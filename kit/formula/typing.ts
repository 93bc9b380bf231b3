import { Complained, type Complaint } from "./complaint.ts";
import { foreignFunctions } from "./foreign-words.ts";
import { type FunctionRule, functions, rowFunctions } from "./functions.ts";
import { nearest } from "./nearest.ts";
import { printName, printText } from "./print.ts";
import {
  type BinaryOperator,
  comparing,
  type Expression,
  isMe,
  type Name,
  precedence,
} from "./tree.ts";
import type { ValueType } from "./value-type.ts";
import type { Says } from "./words.ts";

/** What a name means where a formula is. */
export type Meaning =
  | { kind: "value"; type: ValueType; choices?: Choices }
  /** A record of another kind, whose fields can follow behind a point. */
  | { kind: "record"; entity: string }
  /** Files, of which no more can be said than whether there are any. */
  | { kind: "files" }
  /** Records that refer to this one. */
  | { kind: "rows"; entity: string }
  /** Something that formulas can't use, and why. */
  | { kind: "nothing"; reason: Says };

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

/** The type of what a formula of an entity gives; or what is wrong with it. */
export function typeFormula(
  expression: Expression,
  entity: string,
  scope: Scope,
): { type: ValueType } | { complaint: Complaint } {
  try {
    return { type: new Typing(scope).of(expression, entity) };
  } catch (error) {
    if (!(error instanceof Complained)) throw error;
    return { complaint: error.complaint };
  }
}

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
          (words) => words.behind(expression.operator),
        );
      case "binary":
        return this.#binary(expression, entity);
      case "empty":
        if (!this.#isThereOrNot(expression.operand, entity)) this.of(expression.operand, entity);
        return "boolean";
      case "in": {
        const type = this.of(expression.operand, entity);
        for (const each of expression.among) {
          this.#expect(each, entity, [type], (words) => words.beforeIn);
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
    place: Says,
  ): ValueType {
    const type = this.of(expression, entity);
    if (wanted.includes(type)) return type;
    throw new Complained(
      (words) => words.expected(words.types[type], oneOf(wanted)(words), place(words)),
      expression.at,
    );
  }

  /** Whether a path ends with a reference or with files, of which no more can be said than whether it is empty. */
  #isThereOrNot(expression: Expression, entity: string): boolean {
    if (expression.kind !== "path") return false;
    const kind = this.#meaningAt(expression.names, entity)?.kind;
    return kind === "record" || kind === "files";
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

  #misused({ text, at }: Name, meaning: Meaning, last: boolean): Complained {
    switch (meaning.kind) {
      case "value":
        return new Complained((words) => words.nothingFollows(text, words.types[meaning.type]), at);
      case "record":
        return new Complained(
          (words) => words.isRecord(text, meaning.entity),
          at,
          (words) => words.emptyOrField(text, this.scope.names(meaning.entity)[0] ?? "name"),
        );
      case "files":
        return new Complained(
          (words) => words.isFiles(text),
          at,
          (words) => words.askEmpty,
        );
      case "rows":
        return new Complained(
          (words) => words.areRecords(text, meaning.entity),
          at,
          (words) => (last ? words.countThem(text) : words.takeOne),
        );
      case "nothing":
        return new Complained(meaning.reason, at);
    }
  }

  #meaning({ text, at }: Name, entity: string): Meaning {
    const meaning = this.scope.meaning(entity, text);
    if (meaning) return meaning;
    const renamed = this.scope.renamed(entity, text);
    if (renamed !== undefined) {
      throw new Complained(
        (words) => words.isCalled(text, renamed),
        at,
        (words) => words.writeNew,
        printName(renamed),
      );
    }
    const close = nearest(text, this.scope.names(entity));
    throw new Complained(
      (words) => words.noField(entity, text),
      at,
      (words) =>
        close ? words.didYouMean(close) : words.itHas(this.scope.names(entity).join(", ")),
    );
  }

  #binary({ operator, left, right, at }: Extract<Expression, { kind: "binary" }>, entity: string) {
    if (operator === "and" || operator === "or") {
      for (const side of [left, right])
        this.#expect(side, entity, ["boolean"], (words) => words.beside(operator));
      return "boolean";
    }
    if (operator === "includes" || this.#asksMe(left, entity) || this.#asksMe(right, entity)) {
      return this.#compareWithMe({ operator, left, right, at }, entity);
    }
    if (operator === "contains" || operator === "begins with") {
      for (const side of [left, right])
        this.#expect(side, entity, ["text"], (words) => words.beside(operator));
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
      throw new Complained(
        (words) => words.cantCompare(words.types[types[0]], words.types[types[1]]),
        at,
      );
    }
    const found = results(operator, types);
    if (found) return found;
    throw new Complained(
      (words) => words.doesntWork(operator, words.types[types[0]], words.types[types[1]]),
      at,
      types.includes("text") && operator === "+" ? (words) => words.joinTexts : undefined,
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
      throw new Complained(
        (words) => words.onlyMe,
        right.at,
        (words) => words.asIn("keepers includes me"),
      );
    }
    if (me === undefined) {
      throw new Complained(
        (words) => words.meUnknown,
        person.at,
        (words) => words.meHelp,
      );
    }
    const meaning = other.kind === "path" ? this.#lastMeaning(other.names, entity) : undefined;
    const wanted = operator === "includes" ? "rows" : "record";
    const fits =
      meaning?.kind === wanted
        ? meaning.entity === me
        : wanted === "record" && meaning?.kind === "value" && this.#isOwnNumber(other, entity, me);
    if (fits && ["=", "<>", "includes"].includes(operator)) return "boolean";
    throw new Complained(
      (words) => words.meIs(me),
      at,
      (words) => words.meExample,
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
    const name = value.names.at(-1)?.text ?? "";
    const [renamed] = Object.entries(formerly).find(([, before]) => same(before)) ?? [];
    if (renamed !== undefined) {
      throw new Complained(
        (words) => words.choiceIsCalled(text.value, name, renamed),
        text.at,
        (words) => words.writeNewChoice,
        printText(renamed),
      );
    }
    const close = nearest(text.value, now);
    throw new Complained(
      (words) => words.noChoice(name, text.value),
      text.at,
      (words) => (close ? words.didYouMean(close) : words.choicesAre(now.join(", "))),
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
      throw new Complained(
        (words) => words.noFunction(name),
        { start: at.start, end: at.start + name.length },
        (words) =>
          ours
            ? words.write(`\`${ours}\``)
            : close
              ? words.didYouMean(close)
              : words.thereAre(known.join(", ")),
      );
    }
    this.#checkCount(expression, rule);
    const types = given.map((each, place) => {
      const wanted = rule.takes[Math.min(place, rule.takes.length - 1)] ?? [];
      return this.#expect(each, entity, wanted, (words) => words.within(name));
    });
    const [first] = types;
    const odd = rule.alike ? types.findIndex((type) => type !== first) : -1;
    if (odd > 0 && first) {
      const other = types[odd] as ValueType;
      throw new Complained(
        (words) => words.unlike(words.types[other], words.types[first]),
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
    const wanted = { least, ...(!more && { most: takes.length }) };
    throw new Complained(
      (words) => words.takesValues(name, wanted, given.length),
      at,
      (words) => words.writeAs(example),
    );
  }

  #if({ given, at }: Extract<Expression, { kind: "call" }>, entity: string): ValueType {
    const [condition, one, other] = given;
    if (!condition || !one || !other || given.length > 3) {
      throw new Complained(
        (words) => words.ifTakes,
        at,
        (words) => words.writeAs("if(weight > 20, 'full', 'light')"),
      );
    }
    this.#expect(condition, entity, ["boolean"], (words) => words.firstInIf);
    return this.#expect(other, entity, [this.of(one, entity)], (words) => words.asBefore);
  }

  /** `sum(harvests.weight, harvests.year = 2026)`: what follows the comma is asked of each record. */
  #rows({ name, given, at }: Extract<Expression, { kind: "call" }>, entity: string): ValueType {
    const rule = rowFunctions[name];
    const [over, condition] = given;
    if (!rule || over?.kind !== "path" || given.length > 2) {
      throw new Complained(
        (words) => words.takesRecords(name),
        over?.at ?? at,
        (words) => words.writeAs(rule?.example ?? ""),
      );
    }
    const [rows, ...rest] = over.names as [Name, ...Name[]];
    const meaning = this.#meaning(rows, entity);
    if (meaning.kind !== "rows") {
      throw new Complained(
        (words) => words.notList(rows.text),
        rows.at,
        (words) => words.writeAs(rule.example),
      );
    }
    if (rest.length > 0 !== (rule.takes !== undefined)) {
      throw new Complained(
        (words) => (rule.takes ? words.countsOnField(name) : words.countsOnRecords(name)),
        over.at,
        (words) => (rule.takes ? words.nameField(rule.example) : words.leaveField(rule.example)),
      );
    }
    if (condition) {
      const inner = new Typing(withRows(this.scope, entity, rows.text, meaning.entity));
      inner.#expect(condition, entity, ["boolean"], (words) => words.asCondition);
    }
    if (!rule.takes) return "number";
    const type = this.#path(rest, meaning.entity);
    const { takes } = rule;
    if (!takes.includes(type)) {
      throw new Complained(
        (words) => words.doesntTake(name, words.types[type]),
        over.at,
        (words) => words.itTakes(oneOf(takes)(words)),
      );
    }
    return rule.gives === "the same" ? type : rule.gives;
  }
}

/** Some types, one of which is meant. */
function oneOf(types: readonly ValueType[]): Says {
  return (words) => words.either(types.map((type) => words.types[type]));
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
