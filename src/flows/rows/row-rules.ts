import { Failure } from "../../core/failure.ts";
import { compiled, rulesForAll } from "../../core/formula/compile.ts";
import type { Moment } from "../../core/formula/row-local-rules.ts";
import { type HeldRule, toldRule } from "../../core/formula/rules.ts";
import { formulaSql, momentsIn, nameIn } from "../../core/formula/sql.ts";
import type { Entity, Model } from "../../core/model/model.ts";
import { tableOf } from "../../core/schema/from-model.ts";
import type { Engine } from "../../io/engines/engine.ts";

/** Numbers of rows, both ends included. */
export interface Range {
  first: number;
  last: number;
}

/** A query of the rows of an entity, or of those of a range, that violate a rule, whatever this looks at. */
export function brokenRows(
  model: Model,
  entity: Entity,
  rule: HeldRule,
  moment: Moment,
  range?: Range,
): string {
  const { database } = model.app;
  const table = nameIn(database, tableOf(entity.name));
  const condition = formulaSql(compiled(model, entity, rule), database, {
    row: table,
    ...momentsIn(database, moment),
  });
  const id = nameIn(database, "id");
  const within = range ? `${table}.${id} between ${range.first} and ${range.last} and ` : "";
  return `select ${table}.${id} as ${id}, ${table}.${id} as ${nameIn(database, "value")} from ${table} where ${within}not ${condition}`;
}

/** Throws where rows of some entities violate their rules. */
export async function requireRules(
  engine: Engine,
  model: Model,
  entities: readonly Entity[],
  moment: Moment,
  help: string,
): Promise<void> {
  for (const entity of entities) {
    for (const rule of rulesForAll(model, entity)) {
      await requireNone(engine, entity, rule, brokenRows(model, entity, rule, moment), help);
    }
  }
}

/** Throws where a query finds rows that break a rule. */
export async function requireNone(
  engine: Engine,
  entity: Entity,
  rule: HeldRule,
  query: string,
  help: string,
): Promise<void> {
  const count = await engine.count(query);
  if (count === 0) return;
  const numbers = (await engine.sample(query, 5)).map((row) => String(row.id)).join(", ");
  const rows = count === 1 ? "row" : "rows";
  throw new Failure(
    "input",
    `${count} ${rows} for ${entity.name} (${count === 1 ? "number" : "the first are numbers"} ${numbers}) would break a rule: ${toldRule(entity, rule)}`,
    help,
  );
}
