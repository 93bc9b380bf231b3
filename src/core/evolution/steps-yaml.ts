import { parse, stringify } from "yaml";
import * as z from "zod";
import type { Step } from "./steps.ts";

const limit = z.union([z.number(), z.string()]);
const constant = z.union([z.string(), z.number(), z.boolean()]);
const columnType = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("text"), max: z.number() }),
  z.strictObject({ kind: z.literal("code"), max: z.number() }),
  z.strictObject({ kind: z.literal("decimal"), places: z.number() }),
  ...(["long text", "files", "integer", "boolean", "date", "time", "datetime"] as const).map(
    (kind) => z.strictObject({ kind: z.literal(kind) }),
  ),
]);
const check = z.discriminatedUnion("kind", [
  z.strictObject({
    kind: z.literal("length"),
    min: z.number().optional(),
    max: z.number().optional(),
  }),
  z.strictObject({ kind: z.literal("range"), min: limit.optional(), max: limit.optional() }),
  z.strictObject({ kind: z.literal("one of"), values: z.array(z.string()) }),
]);
const column = z.strictObject({
  name: z.string(),
  type: columnType,
  required: z.boolean(),
  default: constant.optional(),
  references: z
    .strictObject({ table: z.string(), onDelete: z.enum(["refuse", "along"]) })
    .optional(),
  checks: z.array(check).optional(),
});
const index = z.strictObject({
  name: z.string(),
  columns: z.array(z.string()),
  unique: z.boolean(),
  inUse: z.literal(true).optional(),
  words: z.literal(true).optional(),
});
const sql = z.strictObject({
  sqlite: z.string().optional(),
  postgres: z.string().optional(),
  mariadb: z.string().optional(),
});
const rowCheck = z.strictObject({
  name: z.string(),
  holds: z.string(),
  columns: z.array(z.string()),
  sql,
});
const table = z.strictObject({
  name: z.string(),
  label: z.string(),
  columns: z.array(column),
  key: z.array(z.string()),
  indexes: z.array(index),
  checks: z.array(rowCheck).optional(),
});
const place = z.strictObject({ table: z.string(), column: z.string() });
const fill = z.union([
  z.strictObject({ value: constant }),
  z.strictObject({ moment: z.enum(["today", "now"]) }),
  z.strictObject({ row: place.extend({ value: z.string() }) }),
]);
const isTrue = z.literal(true).optional();
const file = z.string().regex(/^[^/\\]+$/);

/** A step of a kind, with what belongs to it. */
const step = <Kind extends string, Shape extends z.ZodRawShape>(kind: Kind, shape: Shape) =>
  z.strictObject({ kind: z.literal(kind), ...shape });
const lookupChange = {
  table: z.string(),
  column: z.string(),
  reference: z.string(),
  target: z.string(),
  key: z.string(),
  required: isTrue,
  others: z.record(z.string(), fill).optional(),
  keep: file.optional(),
  restore: file.optional(),
};
const referenceAndLinks = {
  table: z.string(),
  reference: z.string(),
  links: z.string(),
  from: z.string(),
  to: z.string(),
  required: isTrue,
  lossy: isTrue,
  keep: file.optional(),
  restore: file.optional(),
};

const steps = z.discriminatedUnion("kind", [
  step("rename table", { table: z.string(), to: z.string() }),
  step("rename column", { table: z.string(), column: z.string(), to: z.string() }),
  step("add table", { table, restore: file.optional() }),
  step("drop table", { table, keep: file, carried: isTrue }),
  step("add column", {
    table: z.string(),
    column,
    fill: fill.optional(),
    restore: file.optional(),
  }),
  step("drop column", { table: z.string(), column, keep: file.optional(), carried: isTrue }),
  step("change column", {
    table: z.string(),
    from: column,
    to: column,
    values: z.record(z.string(), z.string()).optional(),
    fill: fill.optional(),
    lossy: isTrue,
    keep: file.optional(),
    restore: file.optional(),
    timezone: z
      .string()
      .regex(/^[A-Za-z0-9_+/-]+$/)
      .optional(),
  }),
  step("add index", { table: z.string(), index }),
  step("drop index", { table: z.string(), index }),
  step("add check", { table: z.string(), check: rowCheck }),
  step("drop check", { table: z.string(), check: rowCheck }),
  step("extract lookup", lookupChange),
  step("inline lookup", lookupChange),
  step("reference to links", referenceAndLinks),
  step("links to reference", referenceAndLinks),
  step("move column", { from: place, to: place, by: place, lossy: isTrue }),
  step("own sql", { about: z.string(), forward: sql, back: sql.optional() }),
]);
const document = z.strictObject({ steps: z.array(steps) });

/** Steps as the text of `steps.yaml`. */
export function printSteps(steps: readonly Step[]): string {
  return stringify({ steps }, { lineWidth: 100, aliasDuplicateObjects: false });
}

/** What YAML can have and `Step` can't, or the other way round, doesn't compile. */
type Read = z.infer<typeof document>["steps"][number];
const isSame: [Step] extends [Read] ? ([Read] extends [Step] ? true : never) : never = true;

/** The steps in a text of `steps.yaml`; or why it isn't one. */
export function parseSteps(text: string): { steps: Step[] } | { reason: string } {
  let parsed: unknown;
  try {
    parsed = parse(text);
  } catch (error) {
    const [first = ""] = String((error as Error).message).split("\n");
    return { reason: `it is no YAML: ${first.replace(/:$/, "")}` };
  }
  const read = document.safeParse(parsed);
  if (read.success && isSame) return { steps: read.data.steps };
  return { reason: reasonOf(read.error?.issues[0], parsed) };
}

/** What is wrong with steps, and with which. */
function reasonOf(issue: z.core.$ZodIssue | undefined, parsed: unknown): string {
  const [, at, ...rest] = issue?.path ?? [];
  if (typeof at !== "number") return "it has no list `steps`";
  const step = (parsed as { steps: ({ kind?: unknown } | null)[] }).steps[at];
  const kind = typeof step?.kind === "string" ? ` (${step.kind.slice(0, 40)})` : "";
  const where = rest.length > 0 ? ` at ${rest.join(".")}` : "";
  return `step ${at + 1}${kind}${where}: ${issue?.message ?? ""}`;
}
