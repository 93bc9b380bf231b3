import type { Step } from "../evolution/steps.ts";
import type { Dialect } from "./dialect.ts";
import type { ScriptPart } from "./script.ts";

/** The tables that know whose rows are whose, by the name of the rows' table. */
const ownTables = ["levadura_seeded", "levadura_loads"] as const;

/**
 * What keeps in step with a table who made its rows: it follows a new name, is set aside under a hyphen when the
 * table is dropped, so that it says nothing about another table of that name, and is there again with its rows.
 */
export function followRowOwners(literal: Dialect["literal"], step: Step): ScriptPart[] {
  const rename = (from: string, to: string) =>
    ownTables.map((table) =>
      run(
        `update ${table} set entity_table = ${literal(to)} where entity_table = ${literal(from)}`,
      ),
    );
  switch (step.kind) {
    case "rename table":
      return rename(step.table, step.to);
    case "drop table": {
      const { name, key } = step.table;
      if (key.length > 1) return [];
      const forget = ownTables.map((table) =>
        run(`delete from ${table} where entity_table = ${literal(`-${name}`)}`),
      );
      return [...forget, ...rename(name, `-${name}`)];
    }
    case "add table":
      return step.restore && step.table.key.length === 1
        ? rename(`-${step.table.name}`, step.table.name)
        : [];
    case "rename column":
    case "add column":
    case "drop column":
    case "change column":
    case "add index":
    case "drop index":
    case "add check":
    case "drop check":
    case "extract lookup":
    case "inline lookup":
    case "reference to links":
    case "links to reference":
    case "move column":
    case "own sql":
      return [];
  }
}

function run(sql: string): ScriptPart {
  return { kind: "run", sql };
}
