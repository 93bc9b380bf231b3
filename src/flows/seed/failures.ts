import { Failure } from "../../core/failure.ts";
import { toldRule } from "../../core/formula/rules.ts";
import { columnOf } from "../../core/schema/from-model.ts";
import type { Impossible } from "../../core/seeding/plan.ts";
import type { Unmakeable } from "../../core/seeding/rows.ts";

const nothingWritten = "nothing was written";

/** Rows that can't be made, as a failure: of which field, how many are possible at most, and what to change. */
export function impossibleRows(found: readonly Impossible[]): Failure {
  const [first] = found;
  const sentences = found.map(({ entity, fields, wanted, possible }) => {
    const names = fields.map(({ name }) => name);
    const whole = `${entity.name}.${names[0]}`;
    const rows = wanted === 1 ? "1 row is" : `${wanted.toLocaleString("en")} rows are`;
    const [field] = fields;
    if (fields.length === 1 && field && "entity" in field.type && !field.unique) {
      return `${rows} wanted of ${entity.name}, each with one ${field.type.entity} by ${field.name}, and there is none`;
    }
    const most =
      possible === 0
        ? "no other value is left"
        : `${possible.toLocaleString("en")} more ${possible === 1 ? "is" : "are"} possible at most`;
    return fields.length === 1
      ? `${rows} wanted of ${entity.name}, and ${whole} is unique: ${most}`
      : `${rows} wanted of ${entity.name}, and ${names.join(" and ")} are unique together: ${most}`;
  });
  const names = first?.fields.map(({ name }) => name).join(" and ");
  const help =
    first && first.possible > 0
      ? `ask for ${first.possible} rows at most (--rows, or \`seed\` in the model), or let ${names} have more values`
      : `let ${names} have more values, or take ${first?.entity.name} out with \`seed: 0\``;
  return new Failure("input", `${nothingWritten}: ${sentences.join("; ")}`, help);
}

/** A row that couldn't be made, as a failure. */
export function unmakeableRow({ entity, row, trouble, tries }: Unmakeable): Failure {
  const which = `row ${row + 1} of ${entity.name}`;
  const named = (columns: readonly string[]) =>
    columns
      .map((column) => entity.fields.find((field) => columnOf(field) === column)?.name ?? column)
      .join(" and ");
  switch (trouble.kind) {
    case "rule":
      return new Failure(
        "input",
        `${nothingWritten}: ${which} was tried ${tries} times, and always broke a rule: ${toldRule(entity, trouble.rule.rule)} (${trouble.rule.rule.told ?? trouble.rule.rule.formula})`,
        `change the rule, or the ranges of ${named([...new Set(trouble.rule.columns)])}; or give ${entity.name} rows of your own, under \`seed\` or in data/`,
      );
    case "used up":
      return new Failure(
        "input",
        `${nothingWritten}: ${which} can't be distinguished from the others by ${named(trouble.columns)}, all of whose values are taken`,
        `ask for fewer rows (--rows, or \`seed\` in the model), or let ${named(trouble.columns)} have more values`,
      );
    case "missing":
      return new Failure(
        "input",
        `${nothingWritten}: ${which} needs a value for ${named([trouble.column])}, and there is none`,
        "seed the entity that it refers to as well",
      );
  }
}
