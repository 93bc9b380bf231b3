import { now, todayIn } from "../../../kit/formula/clock.ts";
import { nearest } from "../../../kit/formula/nearest.ts";
import { Failure } from "../../core/failure.ts";
import { rowCondition, rowFormula } from "../../core/formula/row-condition.ts";
import { rowLocalRules } from "../../core/formula/row-local-rules.ts";
import { toldRule } from "../../core/formula/rules.ts";
import {
  type Entity,
  type Field,
  isNeeded,
  type Model,
  targetsOf,
} from "../../core/model/model.ts";
import { columnOf, parentsFirst } from "../../core/schema/from-model.ts";
import { Blanks } from "../../core/tabular/cells.ts";
import type { ColumnValues } from "../../core/tabular/column-values.ts";
import {
  type ConversionContext,
  type ConversionCounts,
  type RowRule,
  type SetAside,
  SheetConverter,
} from "../../core/tabular/conversion.ts";
import type { CostlyOption } from "../../core/tabular/costly-options.ts";
import { aliasFields, keyField } from "../../core/tabular/entity-keys.ts";
import { KeyCollector } from "../../core/tabular/key-collector.ts";
import { joinedKeys, type KeyFinder, KeySet } from "../../core/tabular/keys.ts";
import type { ImportPlan, SheetPlan } from "../../core/tabular/plan.ts";
import { doneSplits, splitKey } from "../../core/tabular/plan-model.ts";
import { CsvWriter } from "../../io/sheets/data-files.ts";
import { type Sheet, sheetName } from "../../io/sheets/sheets.ts";
import type { TemporaryFolder } from "../../io/sheets/temporary.ts";
import { cellsOutside } from "../../io/sheets/views.ts";
import type { CellRemark } from "../../io/sheets/workbook.ts";
import type { Report } from "../report.ts";
import { type Job, jobsOf, type Part } from "./jobs.ts";

/** The result of converting a sheet. */
export interface SheetOutcome {
  name: string;
  entity: string;
  counts: ConversionCounts;
  /** Columns that the plan doesn't mention. */
  unknown: string[];
  /** What is the sum of what, in parents and their lines. */
  totals: string[];
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

/** Turns all rows of the plan's sheets into records, in files of a temporary folder. */
export function convertSheets(
  plan: ImportPlan,
  sheets: readonly Sheet[],
  model: Model,
  /** The keys that were there before the import, and whether there is a file of a name. */
  {
    stored,
    hasFile,
  }: { stored: ReadonlyMap<string, KeyFinder>; hasFile: (name: string) => boolean },
  folder: TemporaryFolder,
  report: Report,
): Converted {
  const jobs = ordered(jobsOf(plan, sheets), model);
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
    hasFile,
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
      job.parts[0],
      entity,
      {
        ...context,
        keys,
        ...wanted(model, entity, job.plan),
        rules: rulesFor(model, entity, job.plan),
        ...computedFor(model, entity, job.plan),
        ...lackingIn(entity, job.plan, stored),
      },
      sink,
      unique.get(entity.name) ?? new Map(),
    );
    for (const [place, part] of job.parts.entries()) {
      if (place > 0) converter.goOn(part);
      for (const step of part.view.read(part.plan.text)) {
        converter.take(step);
        const rows = step.first + step.rows.length - 1;
        const on = `taking over ${sheetName(part.source)}`;
        report({ kind: "progress", on, rows, share: step.share });
      }
    }
    converter.finish();
    if (!jobs.slice(at + 1).some((later) => later.plan.entity === entity.name))
      finished.add(entity.name);
    outcomes.set(job.plan, {
      name: jobName(job),
      entity: entity.name,
      counts: converter.counts,
      unknown: [...new Set(job.parts.flatMap((part) => part.unknown))],
      totals: converter.totals(),
      costly: [...converter.costly.values()],
      values: converter.values(),
    });
  }
  const parts = jobs.flatMap((job) => job.parts);
  const sources = sheets.filter((sheet) => parts.some((part) => part.source === sheet));
  for (const source of sources) {
    const own = parts.filter((part) => part.source === source);
    asideAround(source, own, sink.setAside);
  }
  aside.close();
  for (const writer of writers.values()) writer.close();
  return {
    sheets: plan.sheets.flatMap((each) => outcomes.get(each) ?? []),
    untaken: sheets.filter((sheet) => !sources.includes(sheet)).map(sheetName),
    data: [...writers].map(([entity, { path, rows }]) => ({ entity, path, rows })),
    setAside: { path: aside.path, count: aside.rows, first },
  };
}

/** The sheets that a table is read from, in words. */
function jobName({ parts: [first, ...more] }: Job): string {
  const name = sheetName(first.source);
  const others = more.map(({ source }) => source.sheet ?? source.file);
  if (others.length <= 3) return [name, ...others].join(", ");
  return `${name} and ${others.length} more`;
}

/** Sets aside what belongs to no table: comments and links of cells, and what is outside of all areas. */
function asideAround(
  source: Sheet,
  parts: readonly Part[],
  setAside: (what: SetAside) => void,
): void {
  const { file, sheet = "" } = source;
  for (const { cell, kind, text } of source.remarks) {
    setAside({ file, sheet, cell, value: text, reason: reasons[kind] });
  }
  const areas = parts.flatMap(({ area }) => area ?? []);
  if (areas.length < parts.length) return;
  for (const { address, text, reason } of cellsOutside(source, areas, parts[0]?.plan.text)) {
    setAside({ file, sheet, cell: address, value: text, reason });
  }
}

/** The fields that a plan computes of others. */
function computedFor(
  model: Model,
  entity: Entity,
  { fields }: SheetPlan,
): Pick<ConversionContext, "computed"> {
  const moment = now();
  const around = { today: todayIn(model.app.timezone, moment), now: moment };
  const computed = fields.flatMap(({ name, formula }) => {
    if (formula === undefined) return [];
    const found = rowFormula(model, entity, formula, around);
    if ("text" in found) return [[name, found.text] as const];
    const what = `\`formula\` of ${entity.name}.${name} in the plan: ${found.message}`;
    throw new Failure("input", what, found.help ?? "correct the formula");
  });
  return computed.length > 0 ? { computed: new Map(computed) } : {};
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

/** The fields that new records of an entity need, and that a sheet doesn't have. */
export function neededBeside({ fields }: SheetPlan, entity: Entity): Field[] {
  const given = new Set(fields.map(({ name }) => name));
  return entity.fields.filter((field) => !given.has(field.name) && isNeeded(field));
}

/** What new records of an entity need and a sheet has no column for. */
function lackingIn(
  entity: Entity,
  plan: SheetPlan,
  stored: ReadonlyMap<string, KeyFinder>,
): Pick<ConversionContext, "lacking"> {
  const needed = neededBeside(plan, entity);
  if (needed.length === 0) return {};
  const labels = needed.map(({ label }) => label);
  return { lacking: { labels, there: stored.get(entity.name) } };
}

/** The rules of an entity that need nothing but the fields of a sheet. */
function rulesFor(model: Model, entity: Entity, { fields }: SheetPlan): RowRule[] {
  const moment = now();
  const given = new Set(
    entity.fields.filter(({ name }) => fields.some((field) => field.name === name)).map(columnOf),
  );
  return rowLocalRules(model, entity, { today: todayIn(model.app.timezone, moment), now: moment })
    .filter(({ columns }) => columns.every((column) => given.has(column)))
    .map(({ rule, holds }) => ({ said: toldRule(entity, rule), holds }));
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
  for (const part of jobs.flatMap((job) => job.parts)) {
    const collector = new KeyCollector(part, fields, context, keys);
    for (const step of part.view.read(part.plan.text)) collector.take(step);
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
    for (const split of doneSplits(plan)) add(split.entity, [splitKey(plan, split), ...split.with]);
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
