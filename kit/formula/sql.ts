import type { Calculation } from "./calculation.ts";
import type { FormulaSyntax, SqlFragment } from "./syntax.ts";

/** What a formula is computed with, in SQL. */
export interface FormulaContext {
  /** The alias or the table of the record that the formula belongs to, as it is in the statement. */
  row: string;
  /** Whether it has to be one expression, without parts that are named before it, however deep that is. */
  single?: boolean;
  /** The expressions for its columns, where the row isn't saved yet. */
  given?: (column: ColumnOf) => string;
  /** What the rows of another table are selected from; the table itself without it. */
  rows?: (table: string) => string;
  /** The expressions of this day and of this moment. */
  today: string;
  now: string;
  /** That of the number of whoever asks, where formulas may look at it. */
  me?: string;
  /** That of a parameter. */
  parameter?: (value: number | string | boolean, type: Calculation["type"]) => string;
  /** Whether conditions on other records are asked of all of them at once, as for many rows; not record by record. */
  inSets?: boolean;
}

export type ColumnOf = Extract<Calculation, { kind: "column" }>;

/** A formula as an expression of a database; conditions are never null in it. */
export function formulaSql(
  calculation: Calculation,
  syntax: FormulaSyntax,
  context: FormulaContext,
): string {
  return new Writing(syntax, context).whole(calculation);
}

/** The same, as the application reads its value. */
export function readFormulaSql(
  calculation: Calculation,
  syntax: FormulaSyntax,
  context: FormulaContext,
): string {
  return syntax.read(formulaSql(calculation, syntax, context), calculation.type);
}

/** This day and this moment as parameters with these names. */
export function momentParameters(
  { parameter }: FormulaSyntax,
  { today, now }: { today: string; now: string },
): Pick<FormulaContext, "today" | "now"> {
  return { today: parameter(today, "date"), now: parameter(now, "moment") };
}

class Writing {
  constructor(
    readonly syntax: FormulaSyntax,
    readonly context: FormulaContext,
  ) {}

  /** Expressions that were given a name, so that no expression is too deep; of the rows of one select. */
  #named: string[] = [];
  #names = 0;

  /** An expression on the current rows, with its named parts. */
  whole(calculation: Calculation): string {
    const outer = this.#named;
    this.#named = [];
    const sql = this.of(calculation);
    const named = this.#named;
    this.#named = outer;
    return named.length > 0 ? `(with ${named.join(", ")} select ${sql})` : sql;
  }

  /** An expression within another one. */
  #within(calculation: Calculation): string {
    const sql = this.of(calculation);
    const { deepest } = this.syntax;
    if (deepest === undefined || this.context.single || depthOf(sql) <= deepest) return sql;
    const name = `v${++this.#names}`;
    this.#named.push(`${name}(x) as (select ${sql})`);
    return `(select x from ${name})`;
  }

  readonly #alias = (row: number): string => (row === 0 ? this.context.row : `r${row}`);

  of(calculation: Calculation): string {
    switch (calculation.kind) {
      case "constant":
        return this.syntax.constant(calculation.value, calculation.type);
      case "parameter":
        if (!this.context.parameter) throw new Error("no parameters here");
        return this.context.parameter(calculation.value, calculation.type);
      case "today":
      case "now":
        return this.context[calculation.kind];
      case "me":
        if (this.context.me === undefined) throw new Error("nobody asks here");
        return this.context.me;
      case "includes me":
        return this.#includesMe(calculation);
      case "column":
        return (
          this.#given(calculation) ?? this.syntax.column(this.#alias(calculation.row), calculation)
        );
      case "through":
        return this.#through(calculation);
      case "over":
        return this.#over(calculation);
      case "operation":
        return this.#operation(calculation);
    }
  }

  #rows(table: string): string {
    return this.context.rows?.(table) ?? this.syntax.quoted(table);
  }

  #given(column: ColumnOf): string | undefined {
    return column.row === 0 ? this.context.given?.(column) : undefined;
  }

  #through({ reference, table, row, value }: Extract<Calculation, { kind: "through" }>): string {
    const { quoted } = this.syntax;
    if (reference.kind !== "column") throw new Error("a reference is a column");
    const from =
      this.#given(reference) ?? `${this.#alias(reference.row)}.${quoted(reference.column)}`;
    if (this.context.inSets && value.type === "boolean") {
      const set = `(select r${row}.${quoted("id")} from ${this.#rows(table)} as r${row} where ${this.whole(value)})`;
      return reference.optional
        ? `coalesce(${from} in ${set}, ${this.syntax.no})`
        : `(${from} in ${set})`;
    }
    const found = `(select ${this.whole(value)} from ${this.#rows(table)} as r${row} where r${row}.${quoted("id")} = ${from})`;
    // Where there is no record, no condition on it holds.
    return value.type === "boolean" && reference.optional
      ? `coalesce(${found}, ${this.syntax.no})`
      : found;
  }

  #includesMe({ of, source, row }: Extract<Calculation, { kind: "includes me" }>): string {
    const { quoted } = this.syntax;
    const { me } = this.context;
    if (me === undefined) throw new Error("nobody asks here");
    const set =
      typeof source.by === "string"
        ? `select r${row}.${quoted(source.by)} from ${this.#rows(source.table)} as r${row} where r${row}.${quoted("id")} = ${me}`
        : `select l.${quoted(source.by.from)} from ${quoted(source.by.links)} as l where l.${quoted(source.by.to)} = ${me}`;
    return `(${this.#alias(of)}.${quoted("id")} in (${set}))`;
  }

  #over(over: Extract<Calculation, { kind: "over" }>): string {
    const { quoted } = this.syntax;
    const { source, row, of, condition } = over;
    const id = quoted("id");
    const owner = `${this.#alias(of)}.${id}`;
    const belongs =
      typeof source.by === "string"
        ? `r${row}.${quoted(source.by)} = ${owner}`
        : `r${row}.${id} in (select l.${quoted(source.by.to)} from ${this.#rows(source.by.links)} as l where l.${quoted(source.by.from)} = ${owner})`;
    const where = condition ? `${belongs} and ${this.whole(condition)}` : belongs;
    return `(select ${this.#figure(over)} from ${this.#rows(source.table)} as r${row} where ${where})`;
  }

  #figure({ figure, value, places }: Extract<Calculation, { kind: "over" }>): string {
    if (!value) return this.syntax.count;
    const sql = this.whole(value);
    // A billion values have to fit.
    const guarded = value.most * 1e9 > 10 ** (15 - value.places);
    const sum = () => {
      const plain = this.syntax.sum(sql, value.places);
      return guarded ? this.syntax.below(plain, limit(value.places)) : plain;
    };
    switch (figure) {
      case "count":
        return this.syntax.count;
      case "sum":
        return sum();
      case "average":
        return this.syntax.below(
          this.syntax.quotient(sum(), `count(${sql})`, value.places),
          limit(places),
        );
      case "smallest":
        return `min(${sql})`;
      case "largest":
        return `max(${sql})`;
    }
  }

  #operation(calculation: Extract<Calculation, { kind: "operation" }>): string {
    const { syntax } = this;
    const { name, given, guarded, places } = calculation;
    const [only] = given;
    if (name === "not" && only?.kind === "operation" && only.name === "empty") {
      return `(${only.given.map((of) => this.#within(of)).join("")} is not null)`;
    }
    const parts = given.map((of): SqlFragment => ({ of, sql: this.#within(of) }));
    const [first, second, third] = parts as [SqlFragment, SqlFragment, SqlFragment];
    const guard = (sql: string) => (guarded ? syntax.below(sql, limit(places)) : sql);
    switch (name) {
      case "divided by": {
        const own = Math.max(first.of.places, second.of.places);
        const [left, right] = [first, second].map((part) => this.#fitting(part, own)) as [
          SqlFragment,
          SqlFragment,
        ];
        return guard(syntax.quotient(left.sql, right.sql, own));
      }
      case "remainder": {
        const fitting = [first, second].map((part) => this.#fitting(part, places));
        return syntax.operations.remainder(fitting, calculation);
      }
      case "equal":
        return `(${this.#equal(first, second)})`;
      case "different":
        return `(not (${this.#equal(first, second)}))`;
      case "less":
      case "at most":
        return this.#certain(
          `${this.#compared(first)} ${name === "less" ? "<" : "<="} ${this.#compared(second)}`,
          [first, second],
        );
      case "in": {
        const [, ...among] = parts;
        const list = among.map((each) => this.#compared(each)).join(", ");
        return this.#certain(`${this.#compared(first)} in (${list})`, parts);
      }
      case "and":
      case "or":
        return `(${first.sql} ${name} ${second.sql})`;
      case "not":
        return `(not ${first.sql})`;
      case "if":
        return `(case when ${first.sql} then ${second.sql} else ${third.sql} end)`;
      case "empty":
        return `(${first.sql} is null)`;
      case "round": {
        const value = guarded ? this.#fitting(first, first.of.places) : first;
        return syntax.operations.round([value], calculation);
      }
      default:
        return guard(syntax.operations[name](parts, calculation));
    }
  }

  /** A number that is empty where it has more than 15 digits, of which so many are behind the point. */
  #fitting(part: SqlFragment, places: number): SqlFragment {
    const fits = part.of.most <= 10 ** (15 - places);
    return fits ? part : { ...part, sql: this.syntax.below(part.sql, limit(places)) };
  }

  #compared(part: SqlFragment): string {
    if (part.of.type !== "text") return part.sql;
    const { of } = part;
    const loose = of.kind === "column" && this.#given(of) !== undefined;
    return this.syntax.compared(
      loose ? { ...part, of: { ...of, ordered: false } } : part,
      this.#alias,
    );
  }

  #equal(one: SqlFragment, other: SqlFragment): string {
    const [left, right] = [this.#compared(one), this.#compared(other)];
    return one.of.optional || other.of.optional
      ? this.syntax.same(left, right)
      : `${left} = ${right}`;
  }

  /** A condition that doesn't hold where one of its values is empty. */
  #certain(condition: string, of: readonly SqlFragment[]): string {
    return of.some((part) => part.of.optional)
      ? `coalesce(${condition}, ${this.syntax.no})`
      : `(${condition})`;
  }
}

/** How many symbols wait for others at the deepest place of an expression, roughly. */
export function depthOf(sql: string): number {
  let depth = 0;
  let deepest = 0;
  for (const [token] of sql.matchAll(/'(?:[^']|'')*'|"(?:[^"]|"")*"|\(select|[()]/g)) {
    if (token === ")") depth -= 3;
    else if (token.startsWith("(")) depth += 3;
    deepest = Math.max(deepest, depth);
  }
  return deepest;
}

/** What numbers with so many places are smaller than. */
function limit(places: number): string {
  return `1${"0".repeat(15 - Math.min(places, 15))}`;
}
