import { parse, stringify } from "yaml";
import { z } from "zod";
import type { Step } from "./steps.ts";

const limit = z.union([z.number(), z.string()]);

const columnType = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("text"), max: z.number() }),
  z.strictObject({ kind: z.literal("decimal"), places: z.number() }),
  ...(["long text", "integer", "boolean", "date", "time", "datetime"] as const).map((kind) =>
    z.strictObject({ kind: z.literal(kind) }),
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
  default: z.union([z.string(), z.number(), z.boolean()]).optional(),
  references: z
    .strictObject({ table: z.string(), onDelete: z.enum(["refuse", "along"]) })
    .optional(),
  checks: z.array(check).optional(),
});

const index = z.strictObject({
  name: z.string(),
  columns: z.array(z.string()),
  unique: z.boolean(),
});

const table = z.strictObject({
  name: z.string(),
  label: z.string(),
  columns: z.array(column),
  key: z.array(z.string()),
  indexes: z.array(index),
});

const document = z.strictObject({
  steps: z.array(
    z.discriminatedUnion("kind", [
      z.strictObject({ kind: z.literal("add table"), table }),
      z.strictObject({ kind: z.literal("add column"), table: z.string(), column }),
      z.strictObject({ kind: z.literal("add index"), table: z.string(), index }),
      z.strictObject({ kind: z.literal("drop index"), table: z.string(), index }),
    ]),
  ),
});

/** Steps as the text of `steps.yaml`. */
export function printSteps(steps: readonly Step[]): string {
  return stringify({ steps }, { lineWidth: 100, aliasDuplicateObjects: false });
}

/** The steps in a text of `steps.yaml`; undefined where it isn't one. */
export function parseSteps(text: string): Step[] | undefined {
  try {
    return document.parse(parse(text)).steps;
  } catch {
    return undefined;
  }
}
