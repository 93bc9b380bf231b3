import * as z from "zod";
import { typeWords } from "../fields/types.ts";
import { databases, looks } from "./model.ts";

/**
 * The shapes of the model file: what the reader checks entries against, and what the JSON Schema for
 * editors is made of. Every scalar reaches the reader as text; the other kinds in these unions are
 * what an editor takes the same text for.
 */

const text = z.union([z.string(), z.number(), z.boolean()], "expected a text");
const number = z.union([z.number(), z.string().regex(/^-?\d+(\.\d+)?$/)], "expected a number");
const bound = z.union([z.number(), z.string()], "expected a number, a date or `today`");
const yesOrNo = z.union(
  [z.boolean(), z.enum(["yes", "no", "true", "false"])],
  "expected yes or no",
);
const names = z.union(
  [z.array(z.string()), z.string()],
  "expected a list of fields, as [one, other]",
);

/** One field in the long notation. */
export const fieldShape = z.strictObject({
  type: z
    .string("expected a type, such as text")
    .optional()
    .describe(`What it holds: ${typeWords.join(", ")}. Relationships as "one Apiary".`),
  entity: z.string().optional().describe("The entity behind one, many or part of."),
  choices: z
    .array(text, "expected a list of values, as [active, retired]")
    .optional()
    .describe("The values of a choice."),
  min: bound.optional().describe("The least length, number or date."),
  max: bound.optional().describe("The largest length, number or date."),
  required: yesOrNo.optional().describe("Whether every record must have a value."),
  "required when": text.optional().describe("The condition on which a record must have a value."),
  "shown when": text.optional().describe("The condition on which forms ask for it."),
  "offered when": text
    .optional()
    .describe("The condition that a record has to meet to be offered by a lookup."),
  unique: yesOrNo.optional().describe("Whether no two records may have the same value."),
  default: text
    .optional()
    .describe("What a new record starts with; today and now too, or a formula."),
  label: text.optional().describe("What people see instead of the name."),
  hint: text.optional().describe("A sentence below the input."),
  placeholder: text.optional().describe("A pale example within the empty input."),
  unit: text.optional().describe("What the number counts, such as kg."),
  places: number.optional().describe("Digits after the point."),
  as: text
    .optional()
    .describe("How forms ask for it: a choice by radio or select, parts in rows or not (list)."),
  size: text.optional().describe("How large a file may be, such as 5 MB."),
  was: text
    .optional()
    .describe("The name that the field had before; Entity.field where it was another's."),
  fill: text.optional().describe("What records get that are there already and have no value."),
  value: text.optional().describe('A formula, such as "= weight * price".'),
});

const fieldDefinition = z
  .union([z.string(), fieldShape, z.null()])
  .describe(
    "A definition on one line, such as: text 2..60, required; or a mapping of the same words.",
  );

/** Where the rows of an entity come from, in long. */
export const seedShape = z.strictObject({
  rows: z
    .union([z.number(), z.string().regex(/^\d{1,9}$/)], "expected a number of rows")
    .optional()
    .describe("How many sample rows are made."),
  fixed: z
    .array(z.unknown(), "expected a list of rows, each as {name: thymol}")
    .optional()
    .describe("Rows that the application needs, each as {name: thymol}."),
  file: text
    .optional()
    .describe("A CSV file in data/, with the names of fields in its first line."),
});

/** One entity, apart from its fields. */
export const entityShape = z.strictObject({
  label: text.optional().describe("What people see instead of the name."),
  plural: text.optional().describe("The label of several."),
  was: text.optional().describe("The name that the entity had before."),
  title: text.optional().describe('What a record is called, such as "{name}".'),
  fields: z.unknown().optional(),
  columns: names
    .optional()
    .describe('The fields that lists show, or several in one column: "{code} in {apiary}".'),
  tabs: text.optional().describe("The field of choices that stand above the list as tabs."),
  archive: z
    .unknown()
    .optional()
    .describe("Whether its records can be archived, and free their unique values then."),
  icon: text.optional().describe("The picture in the menu: a name of the package bootstrap-icons."),
  search: z
    .enum(["indexed"], "expected `indexed`")
    .optional()
    .describe(
      "indexed: the database keeps an index of parts of words, for searches of many records.",
    ),
  layouts: names
    .optional()
    .describe("How the list can be laid out: table, cards, board status, tree parent, map spot."),
  colors: z
    .unknown()
    .optional()
    .describe("The colours of choices: {status: {active: green, weak: yellow}}."),
  highlights: z
    .array(z.unknown(), 'expected a list of highlights, each as - Sentence: "= condition"')
    .optional()
    .describe("The rows that stand out in lists: - Sentence: = condition"),
  views: z
    .unknown()
    .optional()
    .describe("The list under names, each with what stands behind the ? of its address."),
  reports: z
    .unknown()
    .optional()
    .describe(
      "Its records in groups: {Honey per apiary: {by: hive.apiary, show: sum of weight, drawn: bars}}.",
    ),
  calendar: z
    .unknown()
    .optional()
    .describe(
      "The days of its records: `begun to ended`, one date, `no`, or a mapping with from, to and color.",
    ),
  sections: z
    .array(z.unknown(), "expected a list of sections, each as - Name: [field, field]")
    .optional()
    .describe("The sections of the form: - Name: [field, field]"),
  sort: names.optional().describe("The order of lists: installed descending"),
  unique: z
    .array(z.unknown(), "expected a list of fields, as [one, other]")
    .optional()
    .describe("Fields that no two records have alike: [hive, date]; or a list of such lists."),
  seed: z
    .unknown()
    .optional()
    .describe(
      "What it is filled with: a number of sample rows, the name of a file in data/, rows that it needs, or a mapping of these.",
    ),
  rights: z.unknown().optional().describe("What each group may do: {everyone: see}."),
  shared: z.unknown().optional().describe("Whether all organisations have the same records of it."),
  rules: z
    .array(z.unknown(), 'expected a list of rules, each as - Sentence: "= condition"')
    .optional()
    .describe("What must be true for every record: - Sentence: = condition"),
});

/** The application as a whole. */
export const appShape = z.strictObject({
  name: text.optional().describe("The heading of every page."),
  language: text.optional().describe("A language tag, such as en."),
  currency: text.optional().describe("A currency code, such as EUR."),
  timezone: text.optional().describe("A time zone, such as Europe/Madrid."),
  database: z
    .enum(databases, `expected ${databases.join(", ")}`)
    .optional()
    .describe("Where the rows are kept."),
  look: z
    .enum(looks, `expected ${looks.join(", ")}`)
    .optional()
    .describe("The colours of the application."),
  accent: text.optional().describe("The colour of what can be pressed, such as #3355aa."),
  logo: text.optional().describe("A picture beside the name: an .svg or .png file."),
  icon: text.optional().describe("A picture for tabs and devices: an .svg or .png file."),
  offline: z
    .union([z.boolean(), z.enum(["yes", "no"])])
    .optional()
    .describe(
      "Whether pages that were seen can be seen without a connection; yes, unless it says no.",
    ),
});

/** The people who sign in. */
export const usersShape = z.strictObject({
  record: z.string().optional().describe("The entity whose records people are, such as Keeper."),
  "sign up": z
    .unknown()
    .optional()
    .describe(
      "How accounts come about: `by invitation`, `open`, or `confirmed` by an administrator.",
    ),
  newcomers: z.unknown().optional().describe("The groups of people who sign up."),
  "rights are": z
    .unknown()
    .optional()
    .describe(
      "Whether administrators change rights in the application: `fixed`, or the model gives the `ceiling` or the `start`.",
    ),
  organisations: z
    .unknown()
    .optional()
    .describe("What an organisation is called that has records and people of its own."),
  plans: z
    .unknown()
    .optional()
    .describe("What organisations may have at most: {small: {Hive: 20, people: 5}, large: }."),
  "new organisations": z
    .unknown()
    .optional()
    .describe("Who may begin another one: `administrators` of the first, or `everyone`."),
  groups: z.unknown().optional().describe("Groups of people: a name, and what people read."),
  rights: z
    .unknown()
    .optional()
    .describe("What each group may do with entities that have no rights of their own."),
});

/** A page that may stand in other sites. */
export const embeddedShape = z.strictObject({
  list: text.optional().describe("The entity whose list it shows."),
  record: text
    .optional()
    .describe("The entity of whose records it shows one: the address says which."),
  form: text.optional().describe("The entity to which visitors add records by it."),
  report: text.optional().describe("The entity of which it shows a report."),
  calendar: text.optional().describe("The entity whose records it shows by their days."),
  view: text.optional().describe("The name of the view, or of the report, that it shows."),
  origins: z.unknown().describe("The sites that may show it, such as https://bees.example."),
  limit: text.optional().describe("How many forms one address may send in a quarter of an hour."),
});

/** The file, apart from its entities. */
export const fileShape = z.strictObject({
  levadura: z.union([z.literal(1), z.literal("1")], "expected 1, the version of the language"),
  app: z.unknown().optional(),
  users: z
    .unknown()
    .optional()
    .describe(
      "The people who sign in; without it, whoever reaches the application may do everything.",
    ),
  entities: z.unknown().optional(),
  dashboard: z
    .unknown()
    .optional()
    .describe("The start page: views of entities, each as - Hive: Name of the view."),
  menu: z
    .unknown()
    .optional()
    .describe("The menu: - Hive, - Bees: [Hive, Queen], or - Handbook: https://bees.example."),
  embedded: z
    .unknown()
    .optional()
    .describe(
      "Pages that may stand in other sites, by name: our-apiaries: {list: Apiary, origins: https://bees.example}.",
    ),
  labels: z
    .unknown()
    .optional()
    .describe(
      "Labels in other languages: by language tag, then by name, such as Hive: Colmena | Colmenas, Hive.code: Código.",
    ),
});

/** The JSON Schema (draft 2020-12) by which editors complete and check a model file. */
export function modelJsonSchema(): object {
  const section = z.record(z.string(), z.array(z.string()));
  const grant = z
    .string()
    .regex(
      /^(everything|nothing|(see|add|change|delete|history)(, *(see|add|change|delete|history))*)( where .+)?$|^(hide|read only) .+$/,
    );
  const rights = z.record(z.string(), z.union([grant, z.array(grant)]));
  const fixedRow = z.record(z.string(), z.union([text, z.array(text)]));
  const file = fileShape.extend({
    app: appShape.optional(),
    users: usersShape
      .extend({
        "sign up": z.enum(["by invitation", "open", "confirmed"]).optional(),
        newcomers: z.union([text, z.array(text)]).optional(),
        "rights are": z.enum(["fixed", "ceiling", "start"]).optional(),
        organisations: text.optional(),
        "new organisations": z.enum(["administrators", "everyone"]).optional(),
        plans: z
          .record(
            z.string(),
            z.union([
              z.null(),
              z.record(z.string(), z.union([z.number(), z.boolean(), z.enum(["yes", "no"])])),
            ]),
          )
          .optional(),
        groups: z.record(z.string(), z.union([text, z.null()])).optional(),
        rights: rights.optional(),
      })
      .or(z.null())
      .optional(),
    labels: z.record(z.string(), z.record(z.string(), text)).optional(),
    embedded: z
      .record(
        z.string(),
        embeddedShape.extend({
          origins: z.union([text, z.array(text)]),
          limit: z.union([z.number(), text]).optional(),
        }),
      )
      .optional(),
    entities: z.record(
      z.string(),
      entityShape.extend({
        fields: z.record(z.string(), fieldDefinition),
        rights: rights.optional(),
        shared: z.union([z.boolean(), z.enum(["yes", "no"])]).optional(),
        archive: z.union([z.boolean(), z.enum(["yes", "no", "frees unique values"])]).optional(),
        sections: z.array(section).optional(),
        unique: z.union([z.array(z.string()), z.array(z.array(z.string()))]).optional(),
        seed: z
          .union([
            z.number(),
            z.string(),
            z.array(fixedRow),
            seedShape.extend({ fixed: z.array(fixedRow).optional() }),
          ])
          .optional(),
      }),
    ),
  });
  return { title: "A Levadura model", ...z.toJSONSchema(file) };
}
