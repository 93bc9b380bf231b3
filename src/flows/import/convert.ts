import { now, todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { rowCondition } from "../../core/formula/row-condition.ts";
import { type Entity, type Model, targetsOf } from "../../core/model/model.ts";
import { nearest } from "../../core/naming/nearest.ts";
import { parentsFirst } from "../../core/schema/from-model.ts";
import { Blanks, columnLetters, columnNumber, folded } from "../../core/tabular/cells.ts";
import type { ColumnValues } from "../../core/tabular/column-values.ts";
import {
  aliasFields,
  type ConversionContext,
  type ConversionCounts,
  KeyCollector,
  keyField,
  type SetAside,
  SheetConverter,
} from "../../core/tabular/conversion.ts";
import type { CostlyOption } from "../../core/tabular/costly-options.ts";
import { joinedKeys, type KeyFinder, KeySet } from "../../core/tabular/keys.ts";
import { type Layout, layoutAt } from "../../core/tabular/layout.ts";
import type { ImportPlan, SheetPlan } from "../../core/tabular/plan.ts";
import { doneSplits, splitKey } from "../../core/tabular/plan-model.ts";
import { CsvWriter } from "../../io/sheets/data-files.ts";
import { headOf, type Sheet, sheetName } from "../../io/sheets/sheets.ts";
import type { TemporaryFolder } from "../../io/sheets/temporary.ts";
import type { CellRemark } from "../../io/sheets/workbook.ts";
import type { Report } from "../report.ts";
import { refuseTooWide } from "./look.ts";

/** The result of converting a sheet. */
export interface SheetOutcome {
  name: string;
  entity: string;
  counts: ConversionCounts;
  /** Columns that the plan doesn't mention. */
  unknown: string[];
  /** The options of fields for which rows were set aside. */
  costly: readonly CostlyOption[];
  /** The values of each field. */
  values: ReadonlyMap<string, ColumnValues>;
}

/** Rows that wait in files: those of each entity, and what was set aside. */
export interface Converted {
  sheets: SheetOutcome[];
  /** Sheets that the plan doesn't mention. */
  untaken: string[];
  data: { entity: string; path: string; rows: number }[];
  setAside: { path: string; count: number; first: SetAside[] };
}

/** A sheet of the plan, with what it is read from. */
interface Job {
  sheet: Sheet;
  plan: SheetPlan;
  layout: Layout;
  /** Where the column of each field is. */
  columns: Map<string, number>;
  /** Columns that the plan leaves out. */
  left: Set<number>;
  unknown: string[];
}

/** Turns all rows of the plan's sheets into records, in files of a temporary folder. */
export function convertSheets(
  plan: ImportPlan,
  sheets: readonly Sheet[],
  model: Model,
  /** The keys that were there before the import. */
  stored: ReadonlyMap<string, KeyFinder>,
  folder: TemporaryFolder,
  report: Report,
): Converted {
  const jobs = ordered(
    plan.sheets.map((each) => jobOf(each, plan, sheets)),
    model,
  );
  const entities = new Map(model.entities.map((entity) => [entity.name, entity]));
  for (const { plan: each } of jobs) refuseUnknownFields(each, entities);
  const outputs = outputFields(jobs, model);
  const unique = new Map([...outputs.keys()].map((name) => [name, new Map<string, KeySet>()]));
  const own = new Map<string, KeySet>();
  const aliases = new Map<string, KeySet>();
  const targets = new Set(model.entities.flatMap((entity) => [...targetsOf(entity)]));
  for (const entity of model.entities) {
    const key = keyField(entity);
    const kept = unique.get(entity.name);
    if (!kept || !key) continue;
    const keys = new KeySet();
    kept.set(key.name, keys);
    own.set(entity.name, keys);
    if (targets.has(entity.name)) aliases.set(entity.name, new KeySet());
  }
  const context: Omit<ConversionContext, "keys"> = {
    blanks: new Blanks(plan.blank),
    currency: model.app.currency,
    today: todayIn(model.app.timezone),
    timezone: model.app.timezone,
    entities,
    splitKeys: own,
    aliases,
    outputs,
  };
  const writers = new Map(
    [...outputs].map(([name, fields]) => [name, new CsvWriter(folder.newPath(), fields)]),
  );
  const aside = new CsvWriter(folder.newPath(), ["file", "sheet", "cell", "value", "reason"]);
  const first: SetAside[] = [];
  const sink = {
    keep: (entity: string, row: (string | null)[]) => writers.get(entity)?.write(row),
    setAside: (what: SetAside) => {
      aside.write([what.file, what.sheet, what.cell, what.value, what.reason]);
      if (first.length < 12) first.push(what);
    },
  };
  const outcomes = new Map<SheetPlan, SheetOutcome>();
  const finished = new Set<string>();
  for (const [at, job] of jobs.entries()) {
    const entity = entities.get(job.plan.entity) as Entity;
    const keys = new Map<string, KeyFinder>();
    for (const target of targetsOf(entity)) {
      const ahead = finished.has(target)
        ? own.get(target)
        : keysAhead(target, jobs.slice(at), context);
      keys.set(
        target,
        joinedKeys(
          [ahead, own.get(target), aliases.get(target), stored.get(target)].filter(
            (place) => place !== undefined,
          ),
        ),
      );
    }
    const converter = new SheetConverter(
      job.plan,
      job.layout,
      job.columns,
      job.left,
      entity,
      { ...context, keys, ...wanted(model, entity, job.plan) },
      sink,
      unique.get(entity.name) ?? new Map(),
    );
    for (const step of job.sheet.read(job.plan.text)) {
      converter.take(step);
      const rows = step.first + step.rows.length - 1;
      report({
        kind: "progress",
        on: `taking over ${sheetName(job.sheet)}`,
        rows,
        share: step.share,
      });
    }
    converter.finish();
    const { file, sheet = "", remarks } = job.sheet;
    for (const { cell, kind, text } of remarks) {
      sink.setAside({ file, sheet, cell, value: text, reason: reasons[kind] });
    }
    if (!jobs.slice(at + 1).some((later) => later.plan.entity === entity.name))
      finished.add(entity.name);
    outcomes.set(job.plan, {
      name: sheetName(job.sheet),
      entity: entity.name,
      counts: converter.counts,
      unknown: job.unknown,
      costly: [...converter.costly.values()],
      values: converter.values(),
    });
  }
  aside.close();
  for (const writer of writers.values()) writer.close();
  return {
    sheets: plan.sheets.flatMap((each) => outcomes.get(each) ?? []),
    untaken: sheets.filter((sheet) => !jobs.some((job) => job.sheet === sheet)).map(sheetName),
    data: [...writers].map(([entity, { path, rows }]) => ({ entity, path, rows })),
    setAside: { path: aside.path, count: aside.rows, first },
  };
}

/** The condition of a plan on the rows of a sheet. */
function wanted(
  model: Model,
  entity: Entity,
  { where }: SheetPlan,
): Pick<ConversionContext, "holds"> {
  if (where === undefined) return {};
  const moment = now();
  const today = todayIn(model.app.timezone, moment);
  const condition = rowCondition(model, entity, where, { today, now: moment });
  if ("holds" in condition) return condition;
  const what = `\`where\` of ${entity.name} in the plan: ${condition.message}`;
  throw new Failure("input", what, condition.help ?? "correct the condition");
}

const reasons: Readonly<Record<CellRemark["kind"], string>> = {
  comment: "a comment on the cell",
  link: "a link behind the cell",
};

/** Throws for a field that the model doesn't have, where the model was there before the plan. */
function refuseUnknownFields(plan: SheetPlan, entities: ReadonlyMap<string, Entity>): void {
  const splits = doneSplits(plan);
  for (const { name } of plan.fields) {
    const split = splits.find((each) => each.with.includes(name));
    const owner = split?.entity ?? plan.entity;
    const fields = entities.get(owner)?.fields.map((field) => field.name) ?? [];
    if (fields.includes(name)) continue;
    const close = nearest(name, fields);
    throw new Failure(
      "input",
      `the plan has a field \`${name}\`, which ${owner} doesn't have in the model`,
      close ? `did you mean \`${close}\`?` : "add it to the model, or name its column in `leave`",
    );
  }
}

/** Sheets whose records others refer to come first. */
function ordered(jobs: Job[], model: Model): Job[] {
  const order = parentsFirst(model).map(({ name }) => name);
  const place = ({ plan }: Job) => order.indexOf(plan.entity);
  return [...jobs].sort((a, b) => place(a) - place(b));
}

/** The keys of an entity that is referred to before its own rows are all taken over. */
function keysAhead(
  target: string,
  rest: readonly Job[],
  context: Omit<ConversionContext, "keys">,
): KeySet | undefined {
  const key = keyField(context.entities.get(target) as Entity);
  const jobs = rest.filter(({ plan }) => plan.entity === target);
  if (!key || jobs.length === 0) return undefined;
  const keys = new KeySet();
  const fields = [key, ...aliasFields(context.entities.get(target) as Entity)];
  for (const { plan, layout, columns, sheet } of jobs) {
    const collector = new KeyCollector(plan, layout, columns, fields, context, keys);
    for (const step of sheet.read(plan.text)) collector.take(step);
  }
  return keys;
}

/** The fields of each entity that the sheets have values for. */
function outputFields(jobs: readonly Job[], model: Model): Map<string, string[]> {
  const given = new Map<string, Set<string>>();
  const add = (entity: string, names: readonly string[]) => {
    const known = given.get(entity) ?? new Set();
    given.set(entity, known);
    for (const name of names) known.add(name);
  };
  for (const { plan } of jobs) {
    const along = new Set(doneSplits(plan).flatMap((split) => split.with));
    add(
      plan.entity,
      plan.fields.map(({ name }) => name).filter((name) => !along.has(name)),
    );
    for (const split of doneSplits(plan)) add(split.entity, [splitKey, ...split.with]);
  }
  return new Map(
    model.entities
      .filter(({ name }) => given.has(name))
      .map((entity) => [
        entity.name,
        entity.fields.map(({ name }) => name).filter((name) => given.get(entity.name)?.has(name)),
      ]),
  );
}

function jobOf(sheetPlan: SheetPlan, plan: ImportPlan, sheets: readonly Sheet[]): Job {
  const sheet = sheetFor(sheetPlan, plan, sheets);
  const layout = layoutAt(
    headOf(sheet, sheetPlan.text),
    sheetPlan.header,
    sheetPlan.rows,
    sheet.merges,
  );
  refuseTooWide(sheet, layout);
  const columns = new Map<string, number>();
  for (const field of sheetPlan.fields) {
    const column = findColumn(field.column, layout);
    if (column === undefined) throw missingColumn(sheet, field.column, field.name, layout);
    columns.set(field.name, column);
  }
  const left = new Set(sheetPlan.leave.flatMap((name) => findColumn(name, layout) ?? []));
  const said = new Set([...columns.values(), ...left]);
  const unknown = layout.columns
    .filter(({ column }) => !said.has(column))
    .map(({ header, column }) => header || `column ${columnLetters(column)}`);
  return { sheet, plan: sheetPlan, layout, columns, left, unknown };
}

function missingColumn(sheet: Sheet, column: string, field: string, { columns }: Layout): Failure {
  const there = columns.map(({ header }) => header).filter(Boolean);
  return new Failure(
    "input",
    `${sheetName(sheet)} has no column \`${column}\`, which the plan takes for \`${field}\``,
    `the header has ${there.slice(0, 12).join(", ")}${there.length > 12 ? " and more" : ""}`,
  );
}

/** The sheet that a plan means: of the same name in a file of the same name, or in the only file that has one. */
function sheetFor(wanted: SheetPlan, plan: ImportPlan, sheets: readonly Sheet[]): Sheet {
  const named = sheets.filter(({ sheet }) => folded(sheet ?? "") === folded(wanted.sheet ?? ""));
  const exact = named.find(({ file }) => file === wanted.file);
  if (exact) return exact;
  // Next month's file may have another name.
  if (wanted.sheet !== undefined && named.length === 1 && named[0]) return named[0];
  const texts = plan.sheets.filter(({ sheet }) => sheet === undefined);
  const text = named[texts.indexOf(wanted)];
  if (wanted.sheet === undefined && text && named.length === texts.length) return text;
  const names = sheets.map((sheet) => sheetName(sheet)).join("; ");
  throw new Failure(
    "input",
    `the plan takes ${sheetName(wanted)}, which is not among the files`,
    `there ${sheets.length === 1 ? "is" : "are"} ${names}`,
  );
}

function findColumn(reference: string, { columns }: Layout): number | undefined {
  const titled = columns.find(
    ({ header }) => header !== "" && folded(header) === folded(reference),
  );
  if (titled) return titled.column;
  const letters = /^column ([a-z]{1,3})$/i.exec(reference.trim())?.[1];
  return letters === undefined ? undefined : columnNumber(letters);
}
