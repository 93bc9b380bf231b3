// Models of any size.

const definitions = [
  "text 2..60, required",
  "integer 0..30, unit kg",
  "decimal 0..9.5, places 1",
  "date ..today, default today",
  "choice active | weak | queenless | retired, default active",
  "long text",
  "boolean",
  "email",
  "money 0..",
];

/** A model of so many entities with so many fields each; the tenth field of each refers to an earlier entity. */
export function modelOf(entities, fields) {
  const lines = ["levadura: 1", "app:", "  name: Large", "entities:"];
  for (let entity = 1; entity <= entities; entity++) {
    lines.push(`  Hive${entity}:`, "    fields:");
    for (let field = 1; field <= fields; field++) {
      const earlier = Math.max(1, entity - 1 - (field % 7));
      const lookup = entity === 1 ? "text" : `one Hive${earlier}`;
      lines.push(`      field_${field}x: ${field % 10 === 0 ? lookup : definitions[field % 9]}`);
    }
  }
  return `${lines.join("\n")}\n`;
}
