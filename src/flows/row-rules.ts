import { Failure } from "../core/failure.ts";
import { type Calculation, looksAtOthers, namedFields } from "../core/formula/calculation.ts";
import { ruleCondition } from "../core/formula/check.ts";
import { evaluation, type Row } from "../core/formula/evaluate.ts";
import { formulaSql, momentsIn, nameIn } from "../core/formula/sql/sql.ts";
import { automaticFields, type Entity, type Model } from "../core/model/model.ts";
import { tableOf } from "../core/schema/from-model.ts";
import type { Engine } from "../io/engines/engine.ts";

/** This day and this moment, by which rules are looked at. */
export interface Moment {
  today: string;
  now: string;
}

/** Whether a row holds to the rules of its entity, as far as they look at nothing else. */
export function holdsToRules(model: Model, entity: Entity, moment: Moment): (row: Row) => boolean {
  const conditions = entity.rules
    .map((rule) => ruleCondition(model, entity, rule))
    .filter((condition) => !looksAtOthers(condition) && !namesAutomatic(condition))
    .map(evaluation);
  return (row) => conditions.every((holds) => holds(row, moment) === true);
}

/** Whether a condition looks at what a row gets only when it is saved. */
function namesAutomatic(condition: Calculation): boolean {
  return namedFields(condition).some((name) =>
    (automaticFields as readonly string[]).includes(name),
  );
}

/** Throws where rows of some entities don't hold to their rules, whatever these look at. */
export async function requireRules(
  engine: Engine,
  model: Model,
  entities: readonly Entity[],
  moment: Moment,
  help: string,
): Promise<void> {
  const { database } = model.app;
  for (const entity of entities) {
    const table = nameIn(database, tableOf(entity.name));
    for (const rule of entity.rules) {
      const condition = formulaSql(ruleCondition(model, entity, rule), database, {
        row: table,
        ...momentsIn(database, moment),
      });
      const id = nameIn(database, "id");
      const query = `select ${table}.${id} as ${id}, ${table}.${id} as ${nameIn(database, "value")} from ${table} where not ${condition}`;
      const count = await engine.count(query);
      if (count === 0) continue;
      const numbers = (await engine.sample(query, 5)).map((row) => String(row.id)).join(", ");
      const rows = count === 1 ? "row" : "rows";
      throw new Failure(
        "input",
        `${count} ${rows} for ${entity.name} (${count === 1 ? "number" : "the first are numbers"} ${numbers}) would break a rule: ${rule.sentence}`,
        help,
      );
    }
  }
}
