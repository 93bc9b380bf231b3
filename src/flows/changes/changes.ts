import {
  isPending,
  type MigrationStatus,
  migrationStatuses,
} from "../../../kit/migrations/migrations.ts";
import { inNumber } from "../../../kit/migrations/script-runner.ts";
import type { Change, Decisions, Difference } from "../../core/evolution/change.ts";
import { difference } from "../../core/evolution/difference.ts";
import { unfitFor } from "../../core/evolution/fitting.ts";
import { describeStep, replay, type Step } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import type { Schema } from "../../core/schema/schema.ts";
import type { Dialect } from "../../core/sql/dialect.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { impactOf } from "../../core/sql/impact.ts";
import { printScript } from "../../core/sql/script.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { type MigrationFolder, readMigrations } from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import { hasDatabase, withDatabase } from "../database.ts";
import { type BrokenRule, brokenRules } from "./broken-rules.ts";
import { type SchemaDrift, schemaDriftOf } from "./schema-drift.ts";

/** What a change does to existing rows. */
export type Verdict =
  | "safe"
  | "rewrites the table"
  | "the rows must comply"
  | "deletes data"
  | "can't be done";

/** Rows that violate a change, or of which it deletes something. */
export interface CountedRisk {
  kind: "blocking" | "lost";
  sentence: string;
  /** Undefined where there is no database to count in yet. */
  count?: number;
  sample: { id: unknown; value: unknown }[];
}

/** A change, and what it does to the rows of a database. */
export interface ChangeImpact {
  sentence: string;
  verdict: Verdict;
  table: string;
  column?: string;
  /** The check that is added, where the change is about one. */
  check?: string;
  /** How many rows the table has; undefined where it isn't there yet. */
  rows?: number;
  risks: CountedRisk[];
  /** The tables that are rewritten. */
  rewritten: string[];
  /** Advice. */
  help?: string;
  /** The name under which throwing data away has to be accepted. */
  accept?: string;
  /** The name under which losing the values that violate it can be accepted. */
  letGo?: string;
}

/** How the model, the migrations and the database differ. */
export interface ChangeReport {
  /** Migrations that the database lacks, with what their steps do. */
  pending: { name: string; failure?: string; impacts: ChangeImpact[] }[];
  /** Changes of the model that no migration has. */
  unprepared: ChangeImpact[];
  /** Former names that changes seem to have, and the lines that say so. */
  renames: Difference["renames"];
  /** Where the database differs from what its ledger says. */
  drift: SchemaDrift[];
  /** Rules that rows break which are there already; known where that is asked, and there are no other differences. */
  broken: BrokenRule[];
  /** Why the application that runs can't go on while this is applied; undefined where there is nothing to apply, or no rows. */
  unfit?: string[];
  /** The statements of all of it. */
  sql: string;
  /** Why no rows were counted, where the database can't be reached. */
  uncounted?: string;
}

export interface ChangesOptions extends Decisions {
  /** Whether to skip the search for schema drift. */
  onlyModel?: boolean;
  /** Whether rows are looked for that break rules. */
  rules?: boolean;
  /** Whether an unreachable database is tolerated. */
  offline?: boolean;
}

/** The difference between a project's migrations and its model. */
export function pendingChanges(
  project: Project,
  model: Model,
  decisions: Decisions = {},
): Difference & { migrations: MigrationFolder[]; reached: Schema } {
  const migrations = readMigrations(project, dialectOf(model));
  const history = migrations.flatMap(({ steps }) => steps);
  const reached = replay(history);
  return { migrations, reached, ...difference(reached, model, { ...decisions, history }) };
}

/** Compares model, migrations and database, and asks the database about its rows. */
export async function reportChanges(
  project: Project,
  model: Model,
  options: ChangesOptions = {},
): Promise<ChangeReport> {
  const dialect = dialectOf(model);
  const { migrations, reached, changes, steps, renames } = pendingChanges(project, model, options);
  const undraftedSql = printScript(dialect.sections(steps, reached));
  const judge = async (engine: Engine | undefined): Promise<ChangeReport> => {
    const statuses = engine ? await migrationStatuses(engine.migrations, migrations) : [];
    refuseHalfWay(statuses);
    const waiting = migrations.filter(({ name }) => {
      const status = statuses.find((each) => each.name === name);
      return !status || isPending(status);
    });
    const applied = migrations.filter((each) => !waiting.includes(each));
    const before = replay(applied.flatMap((each) => each.steps));
    const all = [...waiting.flatMap((each) => each.steps), ...steps];
    const context: Context = { dialect, all, before, engine, counted: new Map() };
    const pending: ChangeReport["pending"] = [];
    for (const { name, steps: own } of waiting) {
      const failure = statuses.find((each) => each.name === name)?.line?.failure;
      const impacts = [];
      for (const change of asChanges(own)) impacts.push(await weigh(change, context));
      pending.push({ name, ...(failure && { failure }), impacts });
    }
    const unprepared = [];
    for (const change of changes) {
      if (change.sentence !== "") unprepared.push(await weigh(change, context));
    }
    return {
      pending,
      unprepared,
      ...(all.length > 0 && before.tables.length > 0 && { unfit: unfitFor(all) }),
      renames,
      drift: engine && !options.onlyModel ? await schemaDriftOf(engine, before) : [],
      broken: engine && options.rules && all.length === 0 ? await brokenRules(engine, model) : [],
      sql: [...waiting.map(({ forward }) => forward), undraftedSql].filter(Boolean).join("\n"),
    };
  };
  try {
    return (await hasDatabase(project))
      ? await withDatabase(project, judge)
      : await judge(undefined);
  } catch (error) {
    if (!options.offline || !(error instanceof Failure) || error.code === "input") throw error;
    return { ...(await judge(undefined)), uncounted: error.message };
  }
}

/** Between two schemas there is nothing to compare. */
function refuseHalfWay(statuses: readonly MigrationStatus[]): void {
  const begun = statuses.find(({ state }) => state === "half-way");
  if (!begun) return;
  throw new Failure(
    "outside",
    `the database is half-way through ${begun.name}: the run that was at it ended early`,
    "`levadura migrate` continues it, or undoes it if rows violate it",
  );
}

/** The steps of a migration, each as a change of its own, but for indexes. */
function asChanges(steps: readonly Step[]): Change[] {
  const isIndex = ({ kind }: Step) => kind === "drop index" || kind === "add index";
  const indexes = steps.filter(isIndex);
  const rest = indexes.length > 1 ? steps.filter((step) => !isIndex(step)) : steps;
  const changes = rest.map((step) => {
    const table = "table" in step ? step.table : step.kind === "move column" ? step.to.table : "";
    return {
      table: typeof table === "string" ? table : table.name,
      sentence: describeStep(step),
      steps: [step],
    };
  });
  if (rest.length === steps.length) return changes;
  return [...changes, { table: "", sentence: `changes ${indexes.length} indexes`, steps: indexes }];
}

interface Context {
  dialect: Dialect;
  /** All steps between database and model. */
  all: readonly Step[];
  /** The schema of the database. */
  before: Schema;
  engine: Engine | undefined;
  /** Row counts of queries that were run already. */
  counted: Map<string, number | undefined>;
}

/** How many rows a query has; undefined where the database can't say, as when somebody took a table away by hand. */
async function countOf({ engine, counted }: Context, query: string): Promise<number | undefined> {
  if (!counted.has(query)) {
    counted.set(query, await engine?.count(query).catch(() => undefined));
  }
  return counted.get(query);
}

/** Asks the database what a change does to its rows. */
async function weigh(change: Change, context: Context): Promise<ChangeImpact> {
  const { engine, all, before, dialect } = context;
  const impact = impactOf(change, all, before, dialect);
  const risks: CountedRisk[] = [];
  const steps: Step[] = [];
  for (const { kind, sentence, query, step } of impact.risks) {
    const count = query === undefined ? undefined : await countOf(context, query);
    const sample = query !== undefined && count && engine ? await engine.sample(query, 5) : [];
    risks.push({
      kind,
      sentence: count === undefined ? sentence : inNumber(count, sentence),
      ...(count !== undefined && { count }),
      sample,
    });
    if (kind === "blocking" && count !== 0) steps.push(step);
  }
  const { rewritten } = impact;
  const known = before.tables.some(({ name }) => name === impact.table);
  const rows = known
    ? await countOf(context, `select 1 from ${dialect.quoted(impact.table ?? "")}`)
    : undefined;
  const verdict = verdictOf(change, risks, rewritten.length > 0);
  const letGo = letGoName(change);
  const help = helpFor(change, steps[0], letGo);
  return {
    sentence: change.sentence,
    verdict,
    table: change.table,
    ...(change.column && { column: change.column }),
    ...(change.check && { check: change.check }),
    ...(rows !== undefined && { rows }),
    risks,
    rewritten,
    ...(help && { help }),
    ...(change.lossAccepted && { accept: change.lossAccepted }),
    ...(letGo && { letGo }),
  };
}

function verdictOf(change: Change, risks: readonly CountedRisk[], rewrites: boolean): Verdict {
  if (change.impossible) return "can't be done";
  const touched = risks.filter(({ count }) => count !== 0);
  if (change.lossAccepted || touched.some(({ kind }) => kind === "lost")) return "deletes data";
  if (touched.length > 0) return "the rows must comply";
  return rewrites ? "rewrites the table" : "safe";
}

/** Advice about a change, and about the step that rows violate. */
function helpFor(
  { impossible, lossAccepted }: Change,
  step: Step | undefined,
  letGo: string | undefined,
): string | undefined {
  if (impossible) return impossible;
  if (lossAccepted) {
    return `the data is kept in a file; accept it with: levadura prepare --accept-loss ${lossAccepted}`;
  }
  if (!step) return undefined;
  if (step.kind === "add check") return "correct these rows, or the rule";
  if (step.kind === "add index") return "correct all but one of the rows that are alike";
  if (step.kind === "add column") return "give the field a `fill` or a `default`";
  if (isEmptyOnly(step)) return "give the field a `fill`, or correct these rows";
  return `correct these rows${letGo ? `; or accept losing the values with: levadura prepare --accept-loss ${letGo}` : ""}`;
}

/** Whether the violation is a missing value. */
function isEmptyOnly(step: Step): boolean {
  if (step.kind === "change column") {
    return step.to.required && !step.from.required && step.from.type.kind === step.to.type.kind;
  }
  return "required" in step && step.required === true && step.kind !== "links to reference";
}

/** The name by which the values that a change can't take over are given up. */
function letGoName({ table, column, steps }: Change): string | undefined {
  for (const step of steps) {
    if (step.kind === "links to reference") return step.links;
    if (step.kind === "move column") return `${step.from.table}.${step.from.column}`;
    if (step.kind === "change column" && steps.length === 1) return `${table}.${column}`;
  }
  return undefined;
}
