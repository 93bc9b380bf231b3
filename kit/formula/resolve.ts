import type { Calculation, Figure, RowSource } from "./calculation.ts";
import { Complained, type Complaint } from "./complaint.ts";
import {
  automaticColumns,
  type ColumnFacts,
  type EntityFacts,
  type Facts,
  type FieldFacts,
  type ListFacts,
} from "./facts.ts";
import {
  asText,
  condition,
  constant,
  either,
  figureResult,
  largestNumber,
  operation,
  plain,
  product,
  quotientPlaces,
  resultOf,
  roundedTo,
  sum,
} from "./operations.ts";
import { parseFormula } from "./parse.ts";
import { type Expression, isMe, type Name } from "./tree.ts";

/** The most operations that a formula may come to, with the computed fields in it. */
const mostOperations = 2000;

/** A formula of an entity that has been typed, resolved; or what makes it unusable. */
export function calculationOf(
  expression: Expression,
  entity: EntityFacts,
  facts: Facts,
): { calculation: Calculation } | { complaint: Complaint } {
  try {
    return { calculation: new Resolving(facts, expression).of(expression, { entity, row: 0 }) };
  } catch (error) {
    if (!(error instanceof Complained)) throw error;
    return { complaint: error.complaint };
  }
}

/** Where names are looked up: a record, and what a list is called within a condition over it. */
interface Place {
  entity: EntityFacts;
  row: number;
  list?: { name: string; entity: EntityFacts; row: number };
}

class Resolving {
  #rows = 0;
  #operations = 0;
  #depth = 0;

  constructor(
    readonly facts: Facts,
    readonly whole: Expression,
  ) {}

  of(expression: Expression, place: Place): Calculation {
    if (++this.#operations > mostOperations) {
      throw new Complained(
        (words) => words.tooMuch,
        this.whole.at,
        (words) => words.mostOperations(mostOperations),
      );
    }
    switch (expression.kind) {
      case "number": {
        const value = Number(expression.text);
        if (expression.text.replace(/^[0.]+|\./g, "").length > 15) {
          throw new Complained((words) => words.mostDigits, expression.at);
        }
        const places = expression.text.split(".")[1]?.length ?? 0;
        return constant("number", value, { places, most: Math.abs(value) + 1 });
      }
      case "text":
        return constant("text", expression.value || null);
      case "boolean":
        return constant("boolean", expression.value);
      case "span": {
        const days = Number(expression.count) * (expression.unit === "weeks" ? 7 : 1);
        return constant("span", days, { most: days + 1 });
      }
      case "path":
        return this.#path(expression.names, place);
      case "call":
        return this.#call(expression, place);
      case "unary": {
        const operand = this.of(expression.operand, place);
        return expression.operator === "not"
          ? condition("not", [operand])
          : operation("negative", [operand], operand);
      }
      case "binary":
        return this.#binary(expression, place);
      case "empty": {
        const empty = condition("empty", [this.of(expression.operand, place)]);
        return expression.negated ? condition("not", [empty]) : empty;
      }
      case "in": {
        const among = expression.among.map((each) => this.of(each, place));
        const found = condition("in", [this.of(expression.operand, place), ...among]);
        return expression.negated ? condition("not", [found]) : found;
      }
    }
  }

  #path(names: readonly Name[], place: Place): Calculation {
    const [first, ...rest] = names as [Name, ...Name[]];
    if (place.list && first.text === place.list.name && rest.length > 0) {
      return this.#path(rest, place.list);
    }
    const { entity, row } = place;
    const field = entity.fields.get(first.text);
    if (field?.kind === "record" && rest.length > 0) {
      return this.#through(field, row, (target) => this.#path(rest, target));
    }
    if (!field && first.text.toLowerCase() === "me") return me;
    if (field?.kind === "computed") return this.#computed(first.text, field, { entity, row });
    return field && "column" in field ? column(field.column, row) : automatic(first.text, row);
  }

  /** A value of the record that a reference leads to. */
  #through(
    field: Extract<FieldFacts, { kind: "record" }>,
    row: number,
    inner: (place: Place) => Calculation,
  ): Calculation {
    const target = this.facts.entity(field.entity);
    const through = ++this.#rows;
    const value = inner({ entity: target, row: through });
    const reference = column(field.column, row);
    return {
      ...resultOf(value),
      optional: value.type !== "boolean" && (value.optional || reference.optional),
      kind: "through",
      reference,
      table: target.table,
      row: through,
      value,
    };
  }

  /** Whether whoever asks is among the records of a list, which may be that of another record. */
  #includesMe(names: readonly Name[], { entity, row: of }: Place): Calculation {
    const [first, ...rest] = names as [Name, ...Name[]];
    const field = entity.fields.get(first.text);
    if (field?.kind === "record" && rest.length > 0) {
      return this.#through(field, of, (target) => this.#includesMe(rest, target));
    }
    const { source } = this.#source(first.text, entity);
    const row = ++this.#rows;
    return { ...plain("boolean"), optional: false, kind: "includes me", of, source, row };
  }

  /** Whether whoever asks is the record that a path leads to. */
  #leadsToMe(names: readonly Name[], place: Place): Calculation {
    const [first, ...rest] = names as [Name, ...Name[]];
    const field = place.entity.fields.get(first.text);
    return field?.kind === "record" && rest.length > 0
      ? this.#through(field, place.row, (target) => this.#leadsToMe(rest, target))
      : condition("equal", [this.#path(names, place), me]);
  }

  /** What another field computes, in the place of its name. */
  #computed(
    name: string,
    { formula, rounded }: Extract<FieldFacts, { kind: "computed" }>,
    place: Place,
  ): Calculation {
    const parsed = parseFormula(formula);
    // Circles are found before anything is resolved.
    if ("complaint" in parsed || ++this.#depth > 100) {
      throw new Complained((words) => words.cantCompute(name), this.whole.at);
    }
    const found = this.of(parsed.expression, place);
    this.#depth--;
    return rounded === undefined ? found : roundedTo(found, rounded);
  }

  #binary(
    { operator, left: one, right: other, at }: Extract<Expression, { kind: "binary" }>,
    place: Place,
  ): Calculation {
    if (operator === "includes") {
      return this.#includesMe(one.kind === "path" ? one.names : [], place);
    }
    const [person, path] = isMe(one) ? [one, other] : [other, one];
    if (isMe(person) && path.kind === "path" && this.of(person, place).kind === "me") {
      const found = this.#leadsToMe(path.names, place);
      return operator === "=" ? found : condition("not", [found]);
    }
    const [left, right] = [this.of(one, place), this.of(other, place)];
    switch (operator) {
      case "and":
      case "or":
        return condition(operator, [left, right]);
      case "=":
        return condition("equal", [left, right]);
      case "<>":
        return condition("different", [left, right]);
      case "<":
        return condition("less", [left, right]);
      case ">":
        return condition("less", [right, left]);
      case "<=":
        return condition("at most", [left, right]);
      case ">=":
        return condition("at most", [right, left]);
      case "contains":
        return condition("holds", [left, right]);
      case "begins with":
        return condition("starts with", [left, right]);
      case "&":
        return operation("join", [asText(left), asText(right)], {
          ...plain("text"),
          optional: left.optional && right.optional,
        });
      case "+":
      case "-":
        return sum(operator, left, right);
      case "*":
        return product(left, right, at);
      case "/":
        return operation("divided by", [left, right], {
          ...plain("number"),
          places: quotientPlaces,
          most: largestNumber,
          measure: right.measure ? undefined : left.measure,
        });
      case "%":
        return operation("remainder", [left, right], {
          ...plain("number"),
          places: Math.max(left.places, right.places),
          most: right.most,
        });
    }
  }

  #call(expression: Extract<Expression, { kind: "call" }>, place: Place): Calculation {
    const { name, given, at } = expression;
    const figure = figures[name];
    if (figure) return this.#over(figure, expression, place);
    const values = given.map((each) => this.of(each, place));
    const [first, second, third] = values;
    switch (name) {
      case "today":
        return { ...plain("date"), optional: false, kind: "today" };
      case "now":
        return { ...plain("moment"), optional: false, kind: "now" };
      case "date":
        return constant("date", fixedDay(values, at));
      case "if":
        return operation("if", values, {
          ...either(second as Calculation, third as Calculation),
          optional: Boolean(second?.optional || third?.optional),
        });
      case "round": {
        const to = second ?? constant("number", 0);
        const value = first as Calculation;
        if (to.kind !== "constant" || !Number.isInteger(to.value) || Number(to.value) > 6) {
          throw new Complained(
            (words) => words.roundsTo,
            given[1]?.at ?? at,
            (words) => words.asIn("round(weight, 1)"),
          );
        }
        const places = Math.min(Number(to.value), value.places);
        return operation("round", [value], { ...resultOf(value), places });
      }
      case "abs":
        return operation("absolute", values, first as Calculation);
      case "min":
      case "max":
        return operation(name === "min" ? "smallest" : "largest", values, {
          ...values.map(resultOf).reduce(either),
          optional: values.every(({ optional }) => optional),
        });
      case "length":
        return operation("length", values, { ...plain("number"), most: 1e6 });
      case "lower":
      case "upper":
        return operation(name, values, plain("text"));
      case "hours":
      case "minutes":
      case "seconds":
        return operation("divided by", [...values, constant("number", secondsIn[name])], {
          ...plain("number"),
          places: quotientPlaces,
          most: largestNumber,
        });
      case "days":
        return operation("days between", values, { ...plain("number"), most: 4e6 });
      default:
        return operation(name as "year" | "month" | "day", values, {
          ...plain("number"),
          most: 9999,
        });
    }
  }

  #over(
    figure: Figure,
    { given: [over, asked] }: Extract<Expression, { kind: "call" }>,
    place: Place,
  ): Calculation {
    if (over?.kind !== "path") throw new Error("a figure over no path");
    const [list, ...rest] = over.names as [Name, ...Name[]];
    const { source, entity } = this.#source(list.text, place.entity);
    const row = ++this.#rows;
    const value = rest.length > 0 ? this.#path(rest, { entity, row }) : undefined;
    const inner = { ...place, list: { name: list.text, entity, row } };
    const condition = asked && this.of(asked, inner);
    return {
      ...figureResult(figure, value),
      kind: "over",
      figure,
      of: place.row,
      source,
      row,
      ...(value && { value }),
      ...(condition && { condition }),
    };
  }

  #source(
    name: string,
    { fields, lists }: EntityFacts,
  ): { source: RowSource; entity: EntityFacts } {
    const own = fields.get(name);
    const found: ListFacts | undefined = own?.kind === "rows" ? own : lists.get(name);
    if (!found) throw new Error(`no list ${name}`);
    return { source: found.source, entity: this.facts.entity(found.entity) };
  }
}

/** The day that three whole numbers name. */
function fixedDay(values: readonly Calculation[], at: Complaint["at"]): string {
  const [year, month, day] = values.map((each) => (each.kind === "constant" ? each.value : null));
  const two = (value: unknown) => String(value).padStart(2, "0");
  const text = `${String(year).padStart(4, "0")}-${two(month)}-${two(day)}`;
  const known = /^\d{4}-\d\d-\d\d$/.test(text) && !text.startsWith("0000");
  const time = known ? Date.parse(`${text}T00:00:00Z`) : Number.NaN;
  if (Number.isNaN(time) || new Date(time).toISOString().slice(0, 10) !== text) {
    throw new Complained(
      (words) => words.noDay,
      at,
      (words) => words.asIn("date(2026, 5, 3)"),
    );
  }
  return text;
}

const figures: Readonly<Record<string, Figure>> = {
  count: "count",
  sum: "sum",
  average: "average",
  smallest: "smallest",
  largest: "largest",
  latest: "largest",
};

/** How many seconds there are in what a span is counted in. */
const secondsIn = { hours: 3600, minutes: 60, seconds: 1 } as const;

function column(facts: ColumnFacts, row: number): Calculation {
  return { ...facts, kind: "column", row };
}

/** The number of whoever asks. */
const me: Calculation = { ...plain("number"), optional: false, kind: "me" };

function automatic(name: string, row: number): Calculation {
  const type = Object.hasOwn(automaticColumns, name) && automaticColumns[name];
  if (!type) throw new Error(`no field ${name}`);
  return {
    ...plain(type),
    optional: false,
    kind: "column",
    row,
    column: name,
    field: name,
    ordered: false,
    refers: false,
  };
}
