import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { checkShape, inOneForm, mapOf, uniqueEntries, valueAt } from "./mappings.ts";
import { type Entity, type FixedRow, isComputed, isMany, type SeedRows } from "./model.ts";
import { seedShape } from "./shapes.ts";
import type { SourceMap, SourceNode } from "./source.ts";

/** The most sample rows that an entity can ask for. */
const mostRows = 100_000_000;

/**
 * Reads the value of `seed`: a number of rows, the name of a file, rows that are written there, or a mapping of these.
 * `broken` are fields whose own definition is wrong: naming them is no further mistake.
 */
export function interpretSeed(
  node: SourceNode,
  entity: Entity,
  broken: ReadonlySet<string>,
  diagnostics: Diagnostics,
): SeedRows | undefined {
  if (node.kind === "list") return { fixed: fixedRows(node, entity, broken, diagnostics) };
  if (node.kind === "scalar") {
    return /^\d+$/.test(node.text)
      ? { fixed: [], ...numberOf(node, diagnostics) }
      : { fixed: [], ...fileOf(node, diagnostics) };
  }
  const before = diagnostics.all.length;
  checkShape(seedShape, node, diagnostics);
  if (diagnostics.all.length > before) return undefined;
  const [rows, fixed, file] = ["rows", "fixed", "file"].map((name) => valueAt(node, name));
  return {
    fixed: fixed ? fixedRows(fixed, entity, broken, diagnostics) : [],
    ...(rows && numberOf(rows, diagnostics)),
    ...(file && fileOf(file, diagnostics)),
  };
}

function numberOf(node: SourceNode, diagnostics: Diagnostics): Pick<SeedRows, "rows"> {
  const rows = node.kind === "scalar" ? Number(node.text) : Number.NaN;
  if (rows <= mostRows) return { rows };
  diagnostics.error(node.at, "more rows than can be made", `${mostRows} are the most`);
  return {};
}

function fileOf(node: SourceNode, diagnostics: Diagnostics): Pick<SeedRows, "file"> {
  if (node.kind === "scalar" && /^[\p{L}\p{N}_][\p{L}\p{N}_. -]*\.csv$/iu.test(node.text)) {
    return { file: node.text };
  }
  const help = "write a number of rows, as 200; or the name of a CSV file in data/, as hives.csv";
  diagnostics.error(node.at, "neither a number of rows nor a file in data/", help);
  return {};
}

function fixedRows(
  node: SourceNode,
  entity: Entity,
  broken: ReadonlySet<string>,
  diagnostics: Diagnostics,
): FixedRow[] {
  const items = node.kind === "list" ? node.items : [];
  return items.flatMap((item) => {
    const row = mapOf(item, "a row", diagnostics);
    return row ? [fixedRow(row, entity, broken, diagnostics)] : [];
  });
}

function fixedRow(
  row: SourceMap,
  entity: Entity,
  broken: ReadonlySet<string>,
  diagnostics: Diagnostics,
): FixedRow {
  const values = new Map<string, { text: string; at: Span }>();
  const writable = entity.fields.filter((field) => !isComputed(field));
  for (const { key, value } of uniqueEntries(row, "field", diagnostics)) {
    const name = inOneForm(key.text);
    const field = writable.find((candidate) => candidate.name === name);
    if (!field) {
      if (broken.has(name)) continue;
      const names = writable.map((each) => each.name);
      const close = nearest(name, names);
      diagnostics.error(
        key.at,
        entity.fields.some((each) => each.name === name)
          ? `\`${name}\` is computed, and has no value of its own`
          : `\`${entity.name}\` has no field \`${name}\``,
        close ? `did you mean \`${close}\`?` : `allowed here: ${names.join(", ")}`,
      );
    } else if (value?.kind === "scalar") {
      values.set(name, { text: value.text.trim(), at: value.at });
    } else if (value?.kind === "list" && isMany(field)) {
      const texts = value.items.flatMap((item) =>
        item.kind === "scalar" ? [item.text.trim()] : [],
      );
      values.set(name, { text: texts.join("\n"), at: value.at });
    } else if (value) {
      diagnostics.error(value.at, "a value was expected", `as in {${name}: …}`);
    }
  }
  const at = { start: row.at.start, end: Math.min(row.at.end, row.at.start + 60) };
  for (const field of writable) {
    const given = (values.get(field.name)?.text ?? "") !== "";
    const start = field.default && !("formula" in field.default);
    if (given || !field.required || start || field.type.kind === "boolean") continue;
    if (isMany(field)) continue;
    diagnostics.error(at, `this row has no \`${field.name}\`, which is required`, "add it");
  }
  return { values, at };
}
