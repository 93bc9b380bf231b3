import type { Schema } from "../../core/schema/schema.ts";
import type { Engine } from "../../io/engines/engine.ts";

/** Something in a database that its migrations didn't make, or made otherwise. */
export interface SchemaDrift {
  sentence: string;
}

/** Compares the tables of a database with the ones that its migrations gave it. */
export async function schemaDriftOf(engine: Engine, schema: Schema): Promise<SchemaDrift[]> {
  const expected = await engine.catalogueOf(schema);
  if (!expected) return [];
  const found = await engine.catalogue();
  const drift: SchemaDrift[] = [];
  const say = (sentence: string) => drift.push({ sentence });
  for (const [name, table] of expected) {
    const actual = found.get(name);
    if (!actual) {
      say(`the table ${name} is gone`);
      continue;
    }
    for (const kind of ["columns", "indexes"] as const) {
      const word = kind === "columns" ? "column" : "index";
      for (const [part, definition] of table[kind]) {
        const there = actual[kind].get(part);
        if (there === undefined) say(`${name}: the ${word} ${part} is gone`);
        else if (there !== definition) {
          say(`${name}: the ${word} ${part} is ${there}, and was made as ${definition}`);
        }
      }
      for (const [part, definition] of actual[kind]) {
        if (!table[kind].has(part)) {
          say(`${name}: the ${word} ${part} was added by hand (${definition})`);
        }
      }
    }
  }
  for (const name of found.keys()) {
    if (!expected.has(name)) say(`the table ${name} was added by hand`);
  }
  return drift;
}
