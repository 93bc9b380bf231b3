import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { ownerColumn, tableOf } from "../../core/schema/from-model.ts";
import type { Engine } from "../../io/engines/engine.ts";

/**
 * Throws where records belong to other organisations than the first: files don't say whose their rows are, so that they
 * could be taken for those of another one.
 */
export async function requireOneOrganisation(engine: Engine, model: Model): Promise<void> {
  const { quoted } = engine.dialect;
  for (const { name, plural, organised } of model.entities) {
    if (!organised) continue;
    const others = `select ${quoted("id")} from ${quoted(tableOf(name))} where ${quoted(ownerColumn)} <> 1`;
    const count = await engine.count(others);
    if (count === 0) continue;
    throw new Failure(
      "input",
      `${plural} has ${count} ${count === 1 ? "record" : "records"} of other organisations than the first`,
      "files and sample rows go to the first organisation, and only while no other one has records: add these in the application",
    );
  }
}
