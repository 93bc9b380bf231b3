import type { Decisions } from "../../core/evolution/change.ts";
import { afterwards, splitSteps, unfitFor } from "../../core/evolution/fitting.ts";
import { describeStep, nameStep, replay, type Step } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import type { Schema } from "../../core/schema/schema.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import {
  type MigrationFolder,
  migrationOf,
  nextName,
  writeMigration,
} from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import {
  type ChangeImpact,
  type ChangeReport,
  pendingChanges,
  reportChanges,
} from "../changes/changes.ts";
import { migrationHistory } from "../migrate/migrate.ts";

/** A migration that was written. */
export interface Prepared {
  name: string;
  steps: string[];
  /** The second part, where it was asked for in two. */
  afterwards?: { name: string; steps: string[] };
  /** Why the application that runs can't go on while the first part is applied. */
  unfit?: string[];
  /** The rows that violate it in the present database, as far as that is known. */
  impacts: ChangeImpact[];
  /** Why no rows were counted, where the database couldn't be reached. */
  uncounted?: string;
}

export interface PrepareOptions extends Decisions {
  /** Words for the folder's name. */
  words?: string;
  /** Whether the newest migration, which must not have been applied, is rewritten. */
  again?: boolean;
  /** Says what a step of the developer's own is to do; its SQL is written by hand. */
  own?: string;
  /** Whether edits of its SQL may be lost. */
  discardEdits?: boolean;
  /** Whether what the application that runs doesn't survive becomes a migration of its own, for afterwards. */
  inTwo?: boolean;
}

/** What lies between migrations and model, for a person to decide about before it is prepared. */
export async function changesToPrepare(
  project: Project,
  model: Model,
  options: PrepareOptions,
): Promise<ChangeReport> {
  const changes = await reportChanges(project, model, { ...options, offline: true });
  refuseUnknownNames(changes, options);
  return changes;
}

/** Writes the next migration; undefined when the migrations have all of the model. */
export async function prepareMigration(
  project: Project,
  model: Model,
  options: PrepareOptions = {},
): Promise<Prepared | undefined> {
  const taken = options.again ? await takeBackPrepared(project, model, options) : undefined;
  const base = taken ? { ...project, skipped: taken.name } : project;
  const { migrations, reached, steps, renames } = pendingChanges(base, model, options);
  const changes = await reportChanges(base, model, { ...options, offline: true });
  const [rename] = renames;
  if (rename) throw renameFailure(rename);
  refuseUnaccepted(changes.unprepared, options);
  const kept = taken?.steps.filter(({ kind }) => kind === "own sql") ?? [];
  const own: Step[] = options.own ? [{ kind: "own sql", about: options.own, forward: {} }] : [];
  const all = [...steps, ...kept, ...own];
  if (all.length === 0) return undefined;
  const name = taken?.name ?? nextName(migrations, options.words ?? nameFor(migrations, all));
  const { unprepared, uncounted } = changes;
  const rest = { impacts: unprepared, ...(uncounted && { uncounted }) };
  const write = (named: string, steps: readonly Step[], from: Schema) =>
    writeMigration(project, dialectOf(model), migrationOf(named, steps, dialectOf(model), from));
  if (!options.inTwo) {
    write(name, all, reached);
    return { name, steps: all.map(describeStep), ...rest };
  }
  const parts = splitSteps(all, reached);
  if (!parts) {
    throw new Failure(
      "input",
      "there is nothing in these changes that can wait until the new version runs",
      "prepare them without --in-two",
    );
  }
  const { before, after } = parts;
  const words = name.slice(5);
  if (before.length > 0) write(name, before, reached);
  const number = Number(name.slice(0, 4)) + (before.length > 0 ? 1 : 0);
  const second = `${String(number).padStart(4, "0")}-${words}${afterwards}`;
  write(second, after, replay(before, reached));
  const described = { name: second, steps: after.map(describeStep) };
  if (before.length === 0) return { ...described, ...rest };
  const unfit = unfitFor(before);
  return {
    name,
    steps: before.map(describeStep),
    afterwards: described,
    ...(unfit.length > 0 && { unfit }),
    ...rest,
  };
}

/** The newest migration, if it may be rewritten. */
async function takeBackPrepared(
  project: Project,
  model: Model,
  { discardEdits = false }: PrepareOptions,
): Promise<MigrationFolder> {
  const { migrations } = pendingChanges(project, model);
  const last = migrations.at(-1);
  if (!last) throw new Failure("input", "there is no migration to write again");
  const status = (await migrationHistory(project, model)).find(({ name }) => name === last.name);
  if (status?.state === "applied" || status?.state === "edited") {
    throw new Failure(
      "input",
      `${last.name} is applied, so it can't be written again`,
      "revert it with `levadura rewind` first, or prepare another one",
    );
  }
  const before = replay(migrations.slice(0, -1).flatMap(({ steps }) => steps));
  // Steps of a person's own may have been added since the scripts were made.
  const plain = last.steps.filter(({ kind }) => kind !== "own sql");
  const untouched = [last.steps, plain].some((steps) => {
    const made = migrationOf(last.name, steps, dialectOf(model), before);
    return made.forward === last.forward && made.back === last.back;
  });
  if (!untouched && !discardEdits) {
    throw new Failure(
      "input",
      `the SQL of ${last.name} was edited, and would be lost`,
      "put the edit into a step of your own in steps.yaml; or lose it with --discard-edits",
    );
  }
  return last;
}

function renameFailure({ table, column, to, line }: ChangeReport["renames"][number]): Failure {
  const from = column ? `${table}.${column}` : table;
  const now = column ? `${table}.${to}` : to;
  return new Failure(
    "input",
    `${from} is no longer in the model, and ${now} is new: was it renamed?`,
    `if so, add \`${line}\` to it in the model; if not, accept that the old one is dropped with: levadura prepare --accept-loss ${from}`,
  );
}

/** Throws where something would be deleted that nobody accepted, or can't be done. */
function refuseUnaccepted(impacts: readonly ChangeImpact[], { acceptLoss }: Decisions): void {
  const open = impacts.filter(
    ({ verdict, accept }) =>
      verdict === "can't be done" || (accept !== undefined && !acceptLoss?.has(accept)),
  );
  if (open.length === 0) return;
  const impossible = open.filter(({ verdict }) => verdict === "can't be done");
  const names = open.flatMap(({ accept }) => (accept ? [`--accept-loss ${accept}`] : []));
  throw new Failure(
    "input",
    `nothing was prepared:\n${open.map(refusalText).join("\n")}`,
    impossible.length > 0
      ? "change these in the model first"
      : `what goes is kept in a file, and comes back with \`levadura rewind\`; accept it with: levadura prepare ${names.join(" ")}`,
  );
}

function refusalText({ sentence, risks, verdict, help }: ChangeImpact): string {
  if (verdict === "can't be done") return `  - ${sentence}: ${help}`;
  const counts = risks.flatMap(({ count, sentence: what }) => (count === undefined ? [] : [what]));
  return `  - ${sentence}${counts.length > 0 ? `: ${counts.join(", ")}` : ""}`;
}

/** Accepted names must be names of data that is deleted, so that a typo accepts nothing. */
function refuseUnknownNames({ unprepared }: ChangeReport, { acceptLoss }: Decisions): void {
  for (const name of acceptLoss ?? []) {
    const known = unprepared.some(({ accept, letGo }) => accept === name || letGo === name);
    if (!known) {
      throw new Failure(
        "usage",
        `--accept-loss ${name}: no change throws that away`,
        "`levadura changes` shows what does",
      );
    }
  }
}

/** A name for a migration after the first thing that it does. */
export function nameFor(migrations: readonly MigrationFolder[], steps: readonly Step[]): string {
  const [step] = steps.filter(({ kind }) => kind !== "drop index");
  return migrations.length === 0 || !step ? "begin" : nameStep(step);
}
