import { namedFields } from "../../../kit/formula/calculation.ts";
import { compiled, rulesForAll } from "../../core/formula/compile.ts";
import { isOwn, type Moment } from "../../core/formula/row-local-rules.ts";
import type { Model } from "../../core/model/model.ts";
import { tableOf } from "../../core/schema/from-model.ts";
import type { EntitySample, Sampling } from "../../core/seeding/sampling.ts";
import type { Value } from "../../core/seeding/value.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { brokenRows, requireNone } from "../rows/row-rules.ts";

/** How often rows that break a rule about other records get other values. */
const mostRounds = 12;

/**
 * Checks sample rows against the rules that look at more than their own row, which can't be checked while they are made:
 * those that break one get other values for what it looks at. Throws where some break it in the end.
 */
export async function holdToRules(
  engine: Engine,
  model: Model,
  sampling: Sampling,
  samples: readonly EntitySample[],
  moment: Moment,
): Promise<void> {
  const help = "no sample row was kept: change the rule, or give it rows of your own";
  for (let round = 1; round <= mostRounds; round++) {
    let changed = false;
    for (const sample of samples) {
      for (const { query, columns } of openRules(model, sampling, sample, moment)) {
        if (columns.length === 0) continue;
        const ids = (await engine.migrations.rows<{ id: number }>(query)).map(({ id }) =>
          Number(id),
        );
        if (ids.length === 0) continue;
        await remake(engine, sampling, sample, ids, round, columns);
        changed = true;
      }
    }
    if (!changed) break;
  }
  for (const sample of samples) {
    for (const { rule, query } of openRules(model, sampling, sample, moment)) {
      await requireNone(engine, sample.entity, rule, query, help);
    }
  }
}

/** The rules that sample rows weren't checked against when they were made, the rows that break them, and what they look at. */
function openRules(
  model: Model,
  sampling: Sampling,
  { entity, first, count }: EntitySample,
  moment: Moment,
) {
  const late = sampling.lateOf(entity).map(({ column }) => column);
  return rulesForAll(model, entity).flatMap((rule) => {
    const calculation = compiled(model, entity, rule);
    const columns = namedFields(calculation);
    if (isOwn(calculation) && !columns.some((column) => late.includes(column))) return [];
    const range = { first, last: first + count - 1 };
    return [{ rule, columns, query: brokenRows(model, entity, rule, moment, range) }];
  });
}

/** Gives some rows other values. */
async function remake(
  engine: Engine,
  sampling: Sampling,
  { entity, first }: EntitySample,
  ids: readonly number[],
  round: number,
  columns: readonly string[],
): Promise<void> {
  const rows = ids.map((id) => sampling.remade(entity, id - first, round, columns));
  for (const column of Object.keys(rows[0] ?? {})) {
    const values = ids.map((id, at) => [id, rows[at]?.[column] ?? null] as [number, Value]);
    await engine.filler.set(tableOf(entity.name), column, values);
  }
}
