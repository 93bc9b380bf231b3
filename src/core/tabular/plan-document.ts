import { type Node, parseDocument, stringify } from "yaml";
import * as z from "zod";
import type { Diagnostic, Span } from "../model/diagnostics.ts";
import { unseenCharacter, visible } from "../naming/characters.ts";
import { oneLine } from "./cells.ts";
import { encodings } from "./encodings.ts";
import type { Answer } from "./finding.ts";
import { leftOutKinds } from "./layout.ts";
import { bareNumbers } from "./numbers.ts";
import {
  cellParts,
  type FieldPlan,
  type ImportPlan,
  type JoinedPlan,
  type PlanNotes,
  type SheetNotes,
  type SheetPlan,
  type UnpivotPlan,
} from "./plan.ts";
import type { OpenQuestion } from "./questions.ts";
import { areaOf, areaText } from "./shapes/areas.ts";

/** Writes a plan as YAML, with what was found out beside each line. */
export function printPlan(
  plan: ImportPlan,
  notes?: PlanNotes,
  questions: readonly OpenQuestion[] = [],
): string {
  const { name, language, currency, timezone } = plan.app;
  const lines = [
    "# A plan of `levadura import`: what each sheet becomes. Change a line, and apply it:",
    "#   levadura import FILE --plan THIS_FILE",
    "# It serves again for later files of the same shape. A column that should not be taken",
    "# moves from `fields` to `leave`; one that is only text becomes `is: text`.",
    "plan: 1",
    "app:",
    `  name: ${scalar(name)}`,
    `  language: ${scalar(language)}`,
    `  currency: ${scalar(currency)}`,
    `  timezone: ${scalar(timezone)}`,
    "# Cells that say one of these have no value.",
    `blank: ${list(plan.blank)}`,
    "sheets:",
    ...plan.sheets.flatMap((sheet, index) =>
      sheetLines(
        sheet,
        notes?.sheets[index],
        questions.filter((question) => question.sheet === index),
      ),
    ),
  ];
  return `${lines.join("\n")}\n`;
}

function sheetLines(
  sheet: SheetPlan,
  notes: SheetNotes | undefined,
  questions: readonly OpenQuestion[],
): string[] {
  const { text, header, rows } = sheet;
  return [
    `  - file: ${scalar(sheet.file)}`,
    ...(sheet.sheet === undefined ? [] : [`    sheet: ${scalar(sheet.sheet)}`]),
    ...(text
      ? [
          `    text: { delimiter: ${quoted(text.delimiter)}, quote: ${quoted(text.quote)}, encoding: ${text.encoding} }`,
        ]
      : []),
    ...(sheet.area ? [`    area: ${areaText(sheet.area)}`] : []),
    ...(sheet.turned ? ["    turned: yes"] : []),
    ...(sheet.stack
      ? [`    stack: { sheets: ${list(sheet.stack.sheets)}, title: ${scalar(sheet.stack.title)} }`]
      : []),
    ...(notes ? [`    # ${notes.rows} rows.`] : []),
    ...(notes?.around ?? []).map((said) => `    # ${remark(said)}`),
    `    entity: ${sheet.entity}`,
    ...(sheet.plural === undefined ? [] : [`    plural: ${scalar(sheet.plural)}`]),
    ...(sheet.title === undefined ? [] : [`    title: ${scalar(sheet.title)}`]),
    `    header: ${header === null ? "none" : rangeText(header.first, header.last)}`,
    `    rows: ${rows.first}..${rows.last ?? ""}`,
    `    without: ${list(sheet.without)}`,
    ...(sheet.where === undefined ? [] : [`    where: ${scalar(sheet.where)}`]),
    ...(sheet.repeat ? [`    repeat: ${list(sheet.repeat)}`] : []),
    ...(sheet.unpivot ? unpivotLines(sheet.unpivot) : []),
    ...(sheet.joined ? [`    joined: ${joinedText(sheet.joined)}`] : []),
    ...(notes?.key ? [`    # ${remark(notes.key)}`] : []),
    ...(sheet.key ? [`    key: ${list(sheet.key)}`] : []),
    "    fields:",
    ...sheet.fields.flatMap((field) => [
      ...questions.filter((question) => question.field === field.name).flatMap(questionLines),
      ...fieldLines(field, notes?.fields.get(field.name)),
    ]),
    ...(sheet.leave.length === 0 ? [] : [`    leave: ${list(sheet.leave)}`]),
    ...(sheet.splits.length === 0 ? [] : ["    split:"]),
    ...sheet.splits.flatMap((split) => [
      ...(notes?.splits.get(split.entity) ?? []).map((said) => `      # ${remark(said)}`),
      `      ${split.entity}: { by: ${split.by}, with: ${list(split.with)}${split.parts ? ", parts: yes" : ""}${split.list === undefined ? "" : `, list: ${quoted(split.list)}`}, do: ${split.do ? "yes" : "no"} }`,
    ]),
  ];
}

function unpivotLines({ columns, title, values, keep }: UnpivotPlan): string[] {
  const isPlain = columns.every(
    ({ label, columns: [only, ...more] }) => only === label && more.length === 0,
  );
  const each = columns.map((step) => `${quoted(step.label)}: ${list(step.columns)}`);
  return [
    "    unpivot:",
    isPlain
      ? `      columns: ${list(columns.map(({ label }) => label))}`
      : `      columns: { ${each.join(", ")} }`,
    `      title: ${scalar(title)}`,
    `      values: ${list(values)}`,
    ...(keep ? [`      keep: ${list(keep)}`] : []),
  ];
}

/** A question with what each answer makes of some cells, and what it is in the plan. */
function questionLines({ ask, choices }: OpenQuestion): string[] {
  return [
    `      # Open question: ${remark(ask)}`,
    ...choices.map(({ say, set, gives }, at) => {
      const cells = gives.map(({ written, stored }) => `${JSON.stringify(written)} → ${stored}`);
      const how = "split" in set ? "" : answerText(set);
      const taken = at === 0 ? " (taken)" : how === "" ? "" : `, ${how}`;
      return `      #   ${remark(`${say}${taken}: ${cells.join("  ")}`)}`;
    }),
  ];
}

function answerText({ type, replace, ...hints }: Answer): string {
  return [
    ...(type ? [`is: ${type}`] : []),
    ...Object.entries(hints).map(([key, value]) => `${key}: ${String(value)}`),
    ...(replace ? [`replace: ${pairs(replace)}`] : []),
  ].join(", ");
}

function fieldLines(
  field: FieldPlan,
  notes: SheetNotes["fields"] extends Map<string, infer N> ? N | undefined : never,
): string[] {
  const cells = notes?.setAside?.cells ?? [];
  const near = Object.fromEntries(cells.flatMap(({ text, near }) => (near ? [[text, near]] : [])));
  return [
    ...(notes ? [`      # ${remark(notes.why)}`] : []),
    ...(notes?.guess ? [`      # A guess: ${remark(notes.guess)}`] : []),
    ...(notes?.formula ? [`      # Computed in every row: ${remark(notes.formula)}`] : []),
    ...(notes?.setAside ? [`      # ${notes.setAside.count} set aside:`] : []),
    ...cells.map(
      ({ address, text, reason, near }) =>
        `      #   ${remark(`${address} ${JSON.stringify(text)}: ${reason}${near ? `, perhaps ${JSON.stringify(near)}` : ""}`)}`,
    ),
    `      ${field.name}:`,
    field.formula === undefined
      ? `        column: ${scalar(field.column)}`
      : `        formula: ${scalar(field.formula)}`,
    ...(field.is === undefined ? [] : [`        is: ${scalar(field.is)}`]),
    ...(field.dates ? [`        dates: ${field.dates}`] : []),
    ...(field.decimals ? [`        decimals: ${field.decimals}`] : []),
    ...(field.century ? [`        century: ${field.century}`] : []),
    ...(field.units ? [`        units: ${factors(field.units)}`] : []),
    ...(field.bare ? [`        bare: ${field.bare}`] : []),
    ...(field.spans ? [`        spans: ${field.spans}`] : []),
    ...(field.part ? [`        part: ${field.part}`] : []),
    ...(field.replace ? [`        replace: ${pairs(field.replace)}`] : []),
    ...(!field.replace && Object.keys(near).length > 0
      ? [`        # replace: ${pairs(near)}`]
      : []),
  ];
}

function scalar(text: string): string {
  const plain = stringify(text, { lineWidth: 0, defaultStringType: "PLAIN" }).trimEnd();
  return plain.includes("\n") || unseenCharacter(text) ? quoted(text) : plain;
}

/** A text in quotes, in which what can't be seen is shown as its code. */
function quoted(text: string): string {
  return JSON.stringify(text).replace(
    /[\p{Zl}\p{Zp}\p{Bidi_Control}\u007f-\u009f]/gu,
    (found) => `\\u${found.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
}

/** What is said beside a line; it can't end its line. */
function remark(text: string): string {
  return visible(oneLine(text));
}

function list(texts: readonly string[]): string {
  return `[${texts.map((text) => (/^[\p{L}_][\p{L}\p{N}_ ]*$/u.test(text) ? text : quoted(text))).join(", ")}]`;
}

function pairs(map: Readonly<Record<string, string>>): string {
  return `{ ${Object.entries(map)
    .map(([from, to]) => `${quoted(from)}: ${quoted(to)}`)
    .join(", ")} }`;
}

function factors(units: Readonly<Record<string, string>>): string {
  const each = Object.entries(units).map(([unit, factor]) => `${quoted(unit)}: ${factor}`);
  return `{ ${each.join(", ")} }`;
}

function rangeText(first: number, last: number): string {
  return first === last ? String(first) : `${first}..${last}`;
}

const text = z.string("expected a text");
const texts = z.array(text, "expected a list, as [one, other]");
const yesOrNo = z
  .enum(["yes", "no", "true", "false"], "expected yes or no")
  .transform((said) => said === "yes" || said === "true");

const rows = z
  .string("expected rows, as 4.. or 4..60")
  .regex(/^[1-9]\d{0,7}\.\.([1-9]\d{0,7})?$/, "expected rows, as 4.. or 4..60")
  .transform((said) => {
    const [first = "", last = ""] = said.split("..");
    return { first: Number(first), ...(last && { last: Number(last) }) };
  });

const header = z
  .string("expected a row, as 3 or 3..4, or none")
  .regex(/^([1-9]\d{0,7}(\.\.[1-9]\d{0,7})?|none)$/, "expected a row, as 3 or 3..4, or none")
  .transform((said) => {
    if (said === "none") return null;
    const [first = "", last = first] = said.split("..");
    return { first: Number(first), last: Number(last) };
  });

const field = z
  .strictObject({
    column: text.optional(),
    formula: text.optional(),
    is: text.optional(),
    dates: z.enum(["day first", "month first"], "expected day first or month first").optional(),
    decimals: z.enum(["point", "comma"], "expected point or comma").optional(),
    century: z
      .string("expected a year, as 1950")
      .regex(/^[12]\d{3}$/, "expected a year, as 1950")
      .transform(Number)
      .optional(),
    units: z
      .record(
        z.string(),
        z
          .string("expected a factor, as 0.001")
          .regex(/^\d{1,7}(\.\d{1,7})?$/, "expected a factor, as 0.001"),
        "expected factors, as { g: 0.001 }",
      )
      .optional(),
    bare: z.enum(bareNumbers, `expected ${bareNumbers.join(", ")}`).optional(),
    part: z.enum(cellParts, `expected ${cellParts.join(" or ")}`).optional(),
    spans: z.enum(["h:mm", "m:ss"], "expected h:mm or m:ss").optional(),
    replace: z.record(z.string(), text, "expected pairs, as { typed: meant }").optional(),
  })
  .refine(
    ({ column, formula }) => (column === undefined) !== (formula === undefined),
    "expected a column or a formula",
  );

function joinedText(all: readonly JoinedPlan[]): string {
  const each = all.map(({ title, columns, isForSplit }) => {
    const of = isForSplit ? `{ of: ${list(columns)}, for: split }` : list(columns);
    return `${quoted(title)}: ${of}`;
  });
  return `{ ${each.join(", ")} }`;
}

const unpivot = z.strictObject({
  columns: z.union(
    [
      texts.transform((all) => all.map((label) => ({ label, columns: [label] }))),
      z
        .record(z.string(), texts)
        .transform((all) => Object.entries(all).map(([label, columns]) => ({ label, columns }))),
    ],
    "expected a list of columns, or the columns of each step",
  ),
  title: text,
  values: texts,
  keep: texts.optional(),
});

const severalColumns = texts.min(2, "expected two columns or more");
const joined = z.union(
  [
    severalColumns.transform((columns) => ({ columns })),
    z
      .strictObject({ of: severalColumns, for: z.literal("split") })
      .transform(({ of }) => ({ columns: of, isForSplit: true })),
  ],
  "expected columns, or { of: columns, for: split }",
);

const sheet = z.strictObject({
  file: text,
  sheet: text.optional(),
  area: z
    .string("expected cells, as A4:F20")
    .transform((said, context) => {
      const found = areaOf(said);
      if (!found) context.addIssue({ code: "custom", message: "expected cells, as A4:F20" });
      return found ?? z.NEVER;
    })
    .optional(),
  turned: yesOrNo.optional(),
  stack: z.strictObject({ sheets: texts, title: text }).optional(),
  text: z
    .strictObject({
      delimiter: text.min(1, "expected the sign between cells"),
      quote: text.max(1, "expected one sign").default('"'),
      encoding: z.enum(encodings, `expected ${encodings.join(", ")}`).default("utf-8"),
    })
    .optional(),
  entity: text,
  plural: text.optional(),
  title: text.optional(),
  header,
  rows,
  without: z
    .array(z.enum(leftOutKinds, `expected ${leftOutKinds.join(", ")}`))
    .default([...leftOutKinds]),
  where: text.optional(),
  repeat: texts.optional(),
  unpivot: unpivot.optional(),
  joined: z
    .record(z.string(), joined, "expected titles")
    .transform((all) => Object.entries(all).map(([title, each]) => ({ title, ...each })))
    .optional(),
  key: texts.min(2, "expected two fields or more").optional(),
  fields: z.record(z.string(), field, "expected fields"),
  leave: texts.default([]),
  split: z
    .record(
      z.string(),
      z.strictObject({
        by: text,
        with: texts,
        parts: yesOrNo.optional(),
        list: text.min(1, "expected the sign between names").optional(),
        do: yesOrNo,
      }),
      "expected entities",
    )
    .default({}),
});

const document = z.strictObject({
  plan: z.literal("1", "expected 1, the version of plans"),
  app: z.strictObject({
    name: text,
    language: text.default("en"),
    currency: text.default("EUR"),
    timezone: text.default("UTC"),
  }),
  blank: texts,
  sheets: z.array(sheet, "expected a list of sheets").min(1, "expected at least one sheet"),
});

/** A plan that was read, and where in its text a part of it is. */
export interface PlanReading {
  plan?: ImportPlan;
  diagnostics: Diagnostic[];
  /** The place of what a path leads to, such as `["sheets", 0, "fields", "code"]`, or of what is nearest above it. */
  placeOf(path: readonly (string | number)[]): Span;
}

/** Reads a plan. Never throws: what is wrong with it is among the diagnostics. */
export function readPlan(source: string): PlanReading {
  const parsed = parseDocument(source, {
    schema: "failsafe",
    uniqueKeys: true,
  });
  const placeOf = (path: readonly (string | number)[]): Span => {
    for (let length = path.length; length > 0; length--) {
      const node = parsed.getIn(path.slice(0, length), true) as Node | undefined;
      if (node?.range) return { start: node.range[0], end: node.range[1] };
    }
    return { start: 0, end: 1 };
  };
  if (parsed.errors.length > 0) {
    const diagnostics = parsed.errors.map(({ message, pos }) => ({
      severity: "error" as const,
      message: message.split("\n")[0]?.replace(/ at line \d+.*$/, "") ?? message,
      at: { start: pos[0], end: pos[1] },
    }));
    return { diagnostics, placeOf };
  }
  const read = document.safeParse(parsed.toJS({ maxAliasCount: 0 }));
  if (!read.success) {
    const diagnostics = read.error.issues.map((issue) => ({
      severity: "error" as const,
      message: issueText(issue),
      at: placeOf(issue.path as (string | number)[]),
    }));
    return { diagnostics, placeOf };
  }
  const { plan: _, sheets, ...rest } = read.data;
  const plan: ImportPlan = {
    ...rest,
    sheets: sheets.map(({ fields, split, ...other }) => ({
      ...other,
      fields: Object.entries(fields).map(([name, found]) => ({
        name,
        ...found,
        column: found.column ?? "",
      })),
      splits: Object.entries(split).map(([entity, found]) => ({ entity, ...found })),
    })) as SheetPlan[],
  };
  return { plan, diagnostics: [], placeOf };
}

function issueText({ code, message, path, ...issue }: z.core.$ZodIssue): string {
  const where = path.length > 0 ? `\`${String(path.at(-1))}\`: ` : "";
  if (code === "unrecognized_keys" && "keys" in issue)
    return `${where}there is no \`${issue.keys[0]}\` here`;
  return /^Invalid input: expected .*received undefined/.test(message)
    ? `${where}is missing`
    : `${where}${message}`;
}
