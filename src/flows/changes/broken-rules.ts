import { now, todayIn } from "../../../kit/formula/clock.ts";
import { rulesForAll } from "../../core/formula/compile.ts";
import { checkName } from "../../core/formula/row-checks.ts";
import { toldRule } from "../../core/formula/rules.ts";
import type { Model } from "../../core/model/model.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { brokenRows } from "../rows/row-rules.ts";

/** A rule that no check of the database holds rows to, and those that break it. */
export interface BrokenRule {
  entity: string;
  rule: string;
  count: number;
  /** The numbers of some of the rows. */
  rows: number[];
}

/** The rules that existing rows violate, in a database that matches the model. */
export async function brokenRules(engine: Engine, model: Model): Promise<BrokenRule[]> {
  const moment = { today: todayIn(model.app.timezone), now: now() };
  const broken: BrokenRule[] = [];
  for (const entity of model.entities) {
    for (const rule of rulesForAll(model, entity)) {
      if (checkName(entity, rule)) continue;
      const query = brokenRows(model, entity, rule, moment);
      const count = await engine.count(query);
      if (count === 0) continue;
      const rows = (await engine.sample(query, 5)).map(({ id }) => Number(id));
      broken.push({ entity: entity.name, rule: toldRule(entity, rule), count, rows });
    }
  }
  return broken;
}
