import * as z from "zod";
import type { Link } from "../../entity/links.ts";
import type { Attributes, Field, FieldKind, FieldScope } from "../../fields/field.ts";
import { type FilesField, isFiles } from "../../fields/files.tsx";
import { phonePattern } from "../../fields/phone.tsx";
import { betweenTags, tagsIn } from "../../fields/tags.tsx";
import { filesIn } from "../../files/stored-file.ts";
import { atSecond } from "../../formula/zones.ts";

/** How the values of fields of a kind are in JSON. */
interface JsonKind {
  /** The shape of a value that is taken; `limits` are the attributes of its input. */
  taken(field: Field, limits: Attributes): z.ZodType;
  /** The shape of a value that is given, where it isn't the same. */
  given?(field: Field): z.ZodType;
  /** A value as it is given. Null stands for nothing, but in lists. */
  give(value: unknown): unknown;
  /** A value that was taken as the texts that somebody would type. */
  type(value: never, field: Field, scope: FieldScope): readonly string[];
}

/** Fields whose values are lists, which are blank rather than null. */
export const listKinds: ReadonlySet<FieldKind> = new Set(["references", "tags", "image", "file"]);

const text: JsonKind = {
  taken: (field, limits) => {
    const least = Math.max(1, Number(limits.minlength ?? 1));
    const most = limits.maxlength;
    const lengths = { minLength: least, ...(most !== undefined && { maxLength: Number(most) }) };
    // Characters are counted as people do, which is what JSON Schema means, too.
    return z
      .string()
      .refine((given) => given.trim() !== "")
      .meta({ ...lengths, pattern: "\\S", ...(formats[field.kind] ?? {}) });
  },
  give: String,
  type: (value: string) => [value],
};

/** What JSON Schema has for the texts of some kinds. */
const formats: Partial<Readonly<Record<FieldKind, { format?: string; pattern?: string }>>> = {
  email: { format: "email" },
  url: { format: "uri", pattern: "^[hH][tT][tT][pP][sS]?://" },
  phone: { pattern: phonePattern.source },
};

const matching = (pattern: RegExp): JsonKind => ({
  ...text,
  taken: () => z.string().regex(pattern),
});

const number: JsonKind = {
  taken: ({ kind, places }, { min, max }) => {
    const bounded = (kind === "integer" ? z.int() : z.number())
      .min(Number(min ?? Number.MIN_SAFE_INTEGER))
      .max(Number(max ?? Number.MAX_SAFE_INTEGER));
    return places === undefined || kind === "integer"
      ? bounded
      : bounded.multipleOf(Number(`1e-${places}`));
  },
  given: () => z.number(),
  give: Number,
  type: (value: number) => [plainNumber(value)],
};

/** A file that a record has, or that was sent for one. */
export const fileShape = z.object({
  key: z.string(),
  name: z.string(),
  type: z.string(),
  bytes: z.int(),
  width: z.int().optional(),
  height: z.int().optional(),
});

const file: JsonKind = {
  taken: (field) =>
    z
      .array(z.string().regex(/^[0-9a-f]{32}$/))
      .max(isFiles(field) ? (field as FilesField).most : 1),
  given: () => z.array(fileShape),
  give: filesIn,
  type: (value: readonly string[]) => value,
};

/** A record that another one refers to. */
export const linkShape = z.object({ id: z.int(), displayTitle: z.string() });

/** A tag has something in it besides spaces, and none of the signs that stand between tags. */
const tagPattern = /^[^,;\n]*[^,;\s][^,;\n]*$/;
const longestTag = 160;

const kinds: Readonly<Record<FieldKind, JsonKind>> = {
  text,
  "long text": text,
  email: text,
  url: text,
  phone: text,
  integer: number,
  decimal: number,
  span: number,
  money: number,
  percent: number,
  boolean: {
    taken: () => z.boolean(),
    give: Boolean,
    type: (value: boolean) => (value ? ["yes"] : []),
  },
  date: {
    ...text,
    taken: () => z.iso.date(),
    type: (value: string, field, scope) => [field.write(value, scope)],
  },
  time: {
    ...matching(/^([01]\d|2[0-3]):[0-5]\d$/),
    type: (value: string, field, scope) => [field.write(value, scope)],
  },
  datetime: {
    ...text,
    taken: () => z.iso.datetime({ offset: true }),
    type: (value: string) => [atSecond(Date.parse(value))],
  },
  duration: {
    taken: () => z.number().multipleOf(0.001).meta({ description: "Seconds" }),
    give: Number,
    type: (value: number, field, scope) => [field.write(value, scope)],
  },
  color: matching(/^#[0-9a-fA-F]{6}$/),
  place: matching(/^-?\d{1,2}(\.\d+)?, ?-?\d{1,3}(\.\d+)?$/),
  choice: {
    ...text,
    taken: ({ choices = {} }) => z.enum(Object.keys(choices)),
    // A value may be one that the model had before.
    given: () => z.string(),
  },
  reference: {
    taken: () => z.int().min(1),
    give: Number,
    type: (value: number) => [String(value)],
  },
  references: {
    taken: () => z.array(z.int().min(1)).max(10_000),
    given: () => z.array(linkShape),
    give: (value) => ((value ?? []) as readonly Link[]).map(linkJson),
    type: (value: readonly number[]) => value.map(String),
  },
  tags: {
    taken: () => {
      // The length of a text is looked at before what is in it.
      const tag = z.string().refine((text) => text.length <= longestTag && tagPattern.test(text));
      return z.array(tag.meta({ pattern: tagPattern.source })).max(30);
    },
    given: () => z.array(z.string()),
    give: (value) => tagsIn(String(value ?? "")),
    type: (value: readonly string[]) => [value.join(betweenTags)],
  },
  image: file,
  file,
};

/** A link to a record as it is given. */
export function linkJson({ id, displayTitle }: Pick<Link, "id" | "displayTitle">) {
  return { id, displayTitle };
}

/** The shape in which a value of a field is taken; of a field that needn't have one, null too. */
export function takenShape(field: Field, scope: FieldScope): z.ZodType {
  const shape = kinds[field.kind].taken(field, field.attributes(scope));
  if (listKinds.has(field.kind)) {
    return field.required ? (shape as z.ZodArray).min(1) : shape;
  }
  return field.required || field.kind === "boolean" ? shape : shape.nullable();
}

/** The shape in which a value of a field is given; `isAlways` says whether there always is one. */
export function givenShape(field: Field, isAlways: boolean): z.ZodType {
  const { given, taken } = kinds[field.kind];
  const shape = given?.(field) ?? plainShapes[field.kind] ?? taken(field, {});
  return isAlways || listKinds.has(field.kind) ? shape : shape.nullable();
}

/** What is given as any text: rows may be older than what is checked today. */
const plainShapes: Partial<Readonly<Record<FieldKind, z.ZodType>>> = {
  text: z.string(),
  "long text": z.string(),
  email: z.string(),
  url: z.string(),
  phone: z.string(),
  color: z.string(),
  place: z.string(),
  time: z.string(),
  duration: z.number(),
};

/** How the values of a field are given in JSON. */
export function givingOf({ kind }: Field): (value: unknown) => unknown {
  const { give } = kinds[kind];
  if (listKinds.has(kind)) return give;
  return (value) => (value === null || value === undefined ? null : give(value));
}

/** A value that was taken as the texts that somebody would type; none for nothing. */
export function typedOf(field: Field, value: unknown, scope: FieldScope): readonly string[] {
  return value === null ? [] : kinds[field.kind].type(value as never, field, scope);
}

/** A number with all of its digits, and no exponent. */
function plainNumber(value: number): string {
  const text = String(value);
  return text.includes("e")
    ? value.toLocaleString("en", { useGrouping: false, maximumFractionDigits: 20 })
    : text;
}
