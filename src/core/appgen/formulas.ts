import { type Calculation, looksAtLists, namedFields } from "../../../kit/formula/calculation.ts";
import type { ColumnOf } from "../../../kit/formula/sql.ts";
import type { ValueType } from "../../../kit/formula/value-type.ts";
import { compiled, compiledBefore, computedDefaults } from "../formula/compile.ts";
import { columnsRead } from "../formula/hidden-fields.ts";
import { checkName } from "../formula/row-checks.ts";
import { rulesOf } from "../formula/rules.ts";
import { formulaSql, momentParameters, nameIn, readFormulaSql } from "../formula/sql.ts";
import {
  automaticFields,
  type DatabaseKind,
  type Field,
  type Formula,
  isComputed,
  type Model,
} from "../model/model.ts";
import { pascalCase, withArticle } from "../naming/words.ts";
import { labelCode } from "./labels.ts";
import { Module, object, propertyName, quote, remark, templateText } from "./module.ts";
import { inputName, type Subject } from "./subject.ts";

const fieldTypes = "../../kit/fields/field.ts";
const entityTypes = "../../kit/entity/entity.ts";

/** `hive.queries.ts`: the formulas of an entity in SQL. Undefined where it has none. */
export function queriesModule(model: Model, subject: Subject): string | undefined {
  const module = new Module();
  computedFields(module, model, subject);
  hiddenDefaults(module, model, subject);
  rowRules(module, model, subject);
  conditionalFields(module, model, subject);
  highlights(module, model, subject);
  return module.isEmpty ? undefined : module.print();
}

/** The constant with the formula of a computed field. */
export function formulaName({ camel }: Pick<Subject, "camel">, field: Field): string {
  return `${camel}${pascalCase(field.name)}Formula`;
}

/** The constant with the formula of a default that no form shows. */
export function defaultName({ camel }: Subject, field: Field): string {
  return `${camel}${pascalCase(field.name)}Default`;
}

/** The fields that no form asks for and whose default is computed. */
export function hasHiddenDefault(model: Model, { entity, inForm }: Subject, field: Field): boolean {
  return (
    !inForm.includes(field) &&
    computedDefaults(model, entity).ordered.some((each) => each.field === field)
  );
}

function computedFields(module: Module, model: Model, subject: Subject): void {
  const { database } = model.app;
  for (const [field, calculation] of subject.computed) {
    if (!isComputed(field)) continue;
    const row = nameIn(database, subject.table);
    const { sql, uses } = statementOf(module, database, calculation, { row }, "to read");
    const type = `${valueTypes[calculation.type]}${calculation.optional ? " | null" : ""}`;
    module.add(
      `export const ${formulaName(subject, field)}: ${module.type("Formula", fieldTypes)}<${type}> = (${taking(uses)}) => ${sql};`,
      `“${field.label}”: \`${field.type.formula}\``,
    );
  }
}

function hiddenDefaults(module: Module, model: Model, subject: Subject): void {
  const { entity, inForm } = subject;
  const inputs = new Set(inForm.map(inputName));
  for (const { field, calculation } of computedDefaults(model, entity).ordered) {
    if (inForm.includes(field)) continue;
    const value = (column: string) => (inputs.has(column) ? `values.${column}` : undefined);
    const statement = statementOf(module, model.app.database, calculation, { value }, "to read");
    module.add(
      `export const ${defaultName(subject, field)}: ${module.type("TypedFormula", fieldTypes)} = (${takingValues(statement)}) => ${statement.sql};`,
      `“${field.label}” of a new record: \`${(field.default as Formula).formula}\``,
    );
  }
}

/** What must be true for every record. */
function rowRules(module: Module, model: Model, subject: Subject): void {
  const { entity, camel, table, one, inForm } = subject;
  const rules = rulesOf(entity);
  if (rules.length === 0) return;
  const { database } = model.app;
  const row = nameIn(database, table);
  const inputs = new Set(inForm.map(inputName));
  const made = rules.map((rule) => {
    const calculation = compiled(model, entity, rule);
    const { sql, uses } = statementOf(module, database, calculation, { row }, "to ask");
    const about = [rule.about ?? "", ...namedFields(calculation)].find((name) => inputs.has(name));
    const check = checkName(entity, rule);
    return `${formulaRemark(rule)}
  ${object([
    ["holds", `(${taking(uses)}) => ${sql}`],
    ...(check ? [["check", quote(check)] as const] : []),
    ...(rule.offers ? [["offers", "true"] as const] : []),
    ...(rule.needs || rule.offers
      ? []
      : [["sentence", labelCode({ label: rule.sentence, labels: rule.sentences })] as const]),
    ["about", quote(about ?? "")],
  ])}`;
  });
  module.add(
    `export const ${camel}RowRules: readonly ${module.type("RowRule", entityTypes)}[] = [
  ${made.join(",\n  ")}
];`,
    `What must be true for every ${one}.`,
  );
}

/** The rows that stand out in lists, with what each condition looks at where something is hidden from somebody. */
function highlights(module: Module, model: Model, subject: Subject): void {
  const { entity, camel, table, many } = subject;
  const found = entity.highlights ?? [];
  if (found.length === 0) return;
  const { database } = model.app;
  const row = nameIn(database, table);
  const made = found.map((highlight) => {
    const calculation = compiled(model, entity, highlight);
    const { sql, uses } = statementOf(module, database, calculation, { row }, "to ask");
    const reads = model.users ? [...new Set(columnsRead(calculation, table))] : [];
    return `${formulaRemark(highlight)}
  ${object([
    ["color", quote(highlight.color)],
    ["sentence", labelCode({ label: highlight.sentence, labels: highlight.sentences })],
    ["holds", `(${taking(uses)}) => ${sql}`],
    ...(reads.length > 0 ? [["reads", `[${reads.map(quote).join(", ")}]`] as const] : []),
  ])}`;
  });
  module.add(
    `export const ${camel}Highlights: readonly ${module.type("Highlight", entityTypes)}[] = [
  ${made.join(",\n  ")}
];`,
    `Which ${many} stand out in lists.`,
  );
}

/** The condition of a right on the rows of an entity, as a function that gives SQL. It looks at all rows, whoever asks. */
export function rightCondition(
  module: Module,
  model: Model,
  { entity, table }: Subject,
  where: Formula,
): string {
  const { database } = model.app;
  const calculation = compiled(model, entity, where);
  const row = nameIn(database, table);
  const { sql, uses } = statementOf(module, database, calculation, { row, all: true }, "to ask");
  return `(${taking(uses)}) => ${sql}`;
}

/** A formula as a remark above what was made of it. */
export function formulaRemark({ formula }: Pick<Formula, "formula">): string {
  return remark(`= ${formula.replace(/^=\s*/, "")}`);
}

/** A field for which something depends on what is typed, and on what. */
interface Dependence {
  field: Field;
  formula: Formula;
  calculation: Calculation;
}

/** What the form of an entity asks, by the name of the question; those with nothing are left out. */
function dependences(model: Model, { entity, inForm }: Subject): [string, Dependence[]][] {
  const on = (field: Field, formula: Formula | undefined): Dependence[] =>
    formula ? [{ field, formula, calculation: compiledBefore(model, entity, formula) }] : [];
  const defaults = computedDefaults(model, entity).ordered.flatMap(
    ({ field, calculation }): Dependence[] =>
      inForm.includes(field) ? [{ field, formula: field.default as Formula, calculation }] : [],
  );
  const free = ({ calculation }: Dependence) => namedFields(calculation).length === 0;
  const all: [string, Dependence[]][] = [
    ["shown", inForm.flatMap((field) => on(field, field.shownWhen))],
    [
      "needed",
      inForm
        .flatMap((field) => on(field, field.requiredWhen))
        .filter(({ calculation }) => isKnownBefore(calculation)),
    ],
    ["offered", inForm.flatMap((field) => on(field, field.offeredWhen))],
    ["starts", defaults.filter(free)],
    ["blank", defaults.filter((each) => !free(each))],
  ];
  return all.filter(([, found]) => found.length > 0);
}

/** Whether a form knows what a formula looks at before the record is saved. */
function isKnownBefore(calculation: Calculation): boolean {
  const automatic: readonly string[] = automaticFields;
  return (
    !looksAtLists(calculation) && !namedFields(calculation).some((name) => automatic.includes(name))
  );
}

/** Whether the form of an entity has conditional fields. */
export function hasConditionalFields(model: Model, subject: Subject): boolean {
  return dependences(model, subject).length > 0;
}

/** Which fields the form shows, needs or fills in, by what is typed in it. */
function conditionalFields(module: Module, model: Model, subject: Subject): void {
  const found = dependences(model, subject);
  if (found.length === 0) return;
  const { camel, one } = subject;
  const groups = found.map(([answer, asked]) => {
    const lines = asked.map(({ field, formula, calculation }) => {
      const computed = { value: (column: string) => `values.${column}` };
      const use = ["shown", "needed", "offered"].includes(answer) ? "to ask" : "to read";
      const statement = statementOf(module, model.app.database, calculation, computed, use);
      return `${formulaRemark(formula)}
    ${propertyName(inputName(field))}: (${takingValues(statement)}) => ${statement.sql},`;
    });
    return `${answer}: {
    ${lines.join("\n    ")}
  },`;
  });
  module.add(
    `export const ${camel}ConditionalFields: ${module.type("ConditionalFields", entityTypes)} = {
  ${groups.join("\n  ")}
};`,
    `Which fields the form of ${withArticle(one)} shows, needs or fills in, by what is typed in it.`,
  );
}

/** What the values of formulas are in TypeScript. */
const valueTypes: Readonly<Record<ValueType, string>> = {
  number: "number",
  span: "number",
  text: "string",
  date: "string",
  time: "string",
  moment: "string",
  duration: "number",
  boolean: "boolean",
};

/** What a formula is computed of: the row of a table, or values that aren't saved. */
type Computed =
  /** Of `all` rows of other tables, or of those in sight. */
  | { row: string; all?: true }
  /** A column of them, as an expression; undefined where there is none. */
  | { value: (column: string) => string | undefined };

/** A formula as a template of SQL, and what it uses of its scope. */
interface Statement {
  sql: string;
  uses: ReadonlySet<string>;
}

/** A formula as a template of SQL; as the application reads its value, or as a condition of a statement. */
function statementOf(
  module: Module,
  database: DatabaseKind,
  calculation: Calculation,
  of: Computed,
  use: "to read" | "to ask",
): Statement {
  const uses = new Set<string>();
  const context = {
    ...momentParameters(database, { today: "\0today\0", now: "\0now\0" }),
    me: "\0me\0",
    inSets: "all" in of,
    row: "row" in of ? of.row : "",
    ...(!("all" in of) && { rows: (table: string) => `\0rows(${quote(table)})\0` }),
    ...("value" in of && {
      given: (column: ColumnOf) =>
        `\0bindValue("${bindKind(column)}", ${of.value(column.column) ?? "null"})\0`,
    }),
  };
  const text = (use === "to read" ? readFormulaSql : formulaSql)(calculation, database, context);
  const template = templateText(text).replace(
    /\0((\w+)[^\0]*)\0/g,
    (_, code: string, name: string) => {
      if (name === "bindValue") {
        module.use(name, "../../kit/database/current-dialect.ts");
        if (code.includes("values.")) uses.add("values");
      } else uses.add(name);
      return `\${${code}}`;
    },
  );
  return { sql: `${module.use("sql", "kysely")}\`${template}\``, uses };
}

/** The parameters of a formula that uses these parts of its scope. */
function taking(uses: ReadonlySet<string>): string {
  const names = ["rows", "today", "now", "me"].filter((name) => uses.has(name));
  return names.length > 0 ? `{ ${names.join(", ")} }` : "";
}

/** The same after the values that were typed. */
function takingValues({ uses }: Statement): string {
  const scope = taking(uses);
  if (scope) return `${uses.has("values") ? "values" : "_values"}, ${scope}`;
  return uses.has("values") ? "values" : "";
}

/** The kinds of values that formulas are computed of, as the kit has them. */
type BindKind = "text" | "number" | "boolean" | "date" | "time" | "datetime" | "reference";

/** As what kind of value a column is given that isn't saved yet. */
export function bindKind({ type, refers }: ColumnOf): BindKind {
  if (refers) return "reference";
  if (type === "moment") return "datetime";
  return type === "span" || type === "duration" ? "number" : type;
}
