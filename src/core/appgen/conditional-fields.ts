import { type Calculation, looksAtLists, namedFields } from "../formula/calculation.ts";
import { compiled, compiledBefore, computedDefaults } from "../formula/compile.ts";
import { checkName } from "../formula/row-checks.ts";
import { rulesOf } from "../formula/rules.ts";
import { nameIn } from "../formula/sql/sql.ts";
import { automaticFields, type Field, type Formula, type Model } from "../model/model.ts";
import { withArticle } from "../naming/words.ts";
import { columnOf } from "../schema/from-model.ts";
import { type Module, object, propertyName, quote, remark } from "./module.ts";
import { statementOf } from "./statements.ts";
import { inputName, type Subject } from "./subject.ts";

/** What must be true for every record. */
export function rowRules(module: Module, model: Model, subject: Subject): void {
  const { entity, camel, table, one, inForm } = subject;
  const rules = rulesOf(entity);
  if (rules.length === 0) return;
  const { database } = model.app;
  const row = nameIn(database, table);
  const inputs = new Set(inForm.map(inputName));
  const made = rules.map((rule) => {
    const calculation = compiled(model, entity, rule);
    const holds = statementOf(module, database, calculation, { row }, "to ask");
    const about = [rule.about ?? "", ...namedFields(calculation)].find((name) => inputs.has(name));
    const check = checkName(entity, rule);
    return `${formulaRemark(rule)}
  ${object([
    ["holds", `() => ${module.use("sql", "kysely")}${holds}`],
    ...(check ? [["check", quote(check)] as const] : []),
    ["sentence", quote(rule.sentence)],
    ["about", quote(about ?? "")],
  ])}`;
  });
  const type = module.type("RowRule", "../../kit/row-rules.ts");
  module.add(
    `export const ${camel}RowRules: readonly ${type}[] = [
  ${made.join(",\n  ")}
];`,
    `What must be true for every ${one}.`,
  );
}

/** A formula as a remark above what was made of it. */
function formulaRemark({ formula }: Pick<Formula, "formula">): string {
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
export function hasConditionalFields({ inForm }: Subject): boolean {
  return inForm.some(
    ({ shownWhen, requiredWhen, default: start }) =>
      shownWhen || requiredWhen || (start && "formula" in start),
  );
}

/** Which fields the form shows, needs or fills in, by what is typed in it. */
export function conditionalFields(module: Module, model: Model, subject: Subject): void {
  if (!hasConditionalFields(subject)) return;
  const { camel, pascal, file, one } = subject;
  const groups = dependences(model, subject).map(([answer, found]) => {
    const lines = found.map(({ field, formula, calculation }) => {
      const computed = { value: (column: string) => `values.${column}` };
      const use = answer === "shown" || answer === "needed" ? "to ask" : "to read";
      const statement = statementOf(module, model.app.database, calculation, computed, use);
      const values = namedFields(calculation).length > 0 ? "values" : "";
      return `${formulaRemark(formula)}
    ${propertyName(inputName(field))}: (${values}) => ${module.use("sql", "kysely")}${statement},`;
    });
    return `${answer}: {
    ${lines.join("\n    ")}
  },`;
  });
  const columns = module.type(`${pascal}Columns`, `./${file}.ts`);
  module.add(
    `export const ${camel}ConditionalFields: ${module.type("ConditionalFields", "../../kit/conditional-fields.ts")}<${module.type("Selectable", "kysely")}<${columns}>> = {
  ${groups.join("\n  ")}
};`,
    `Which fields the form of ${withArticle(one)} shows, needs or fills in, by what is typed in it.`,
  );
}

/** The computed defaults of fields that no form asks for, as columns of a new row. */
export function hiddenDefaults(module: Module, model: Model, subject: Subject): string[] {
  const { entity, inForm, pascal } = subject;
  const inputs = new Set(inForm.map(inputName));
  return computedDefaults(model, entity)
    .ordered.filter(({ field }) => !inForm.includes(field))
    .map(({ field, calculation }) => {
      const value = (column: string) => (inputs.has(column) ? `columns.${column}` : undefined);
      const statement = statementOf(module, model.app.database, calculation, { value }, "to read");
      const type = `${module.type("Selectable", "kysely")}<${module.type(`${pascal}Columns`, `./${subject.file}.ts`)}>`;
      return `${columnOf(field)}: ${module.use("sql", "kysely")}<${type}["${columnOf(field)}"]>${statement}, `;
    });
}
