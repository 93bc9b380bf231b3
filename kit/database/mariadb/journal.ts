import { rmSync } from "node:fs";
import { basename, join } from "node:path";
import type { Journal, Outcome, Task } from "../../migrations/migrations.ts";
import { parseScript } from "../../migrations/script.ts";
import type { ScriptPart } from "../../migrations/script-part.ts";
import {
  type ApplyOptions,
  keptFolderOf,
  NoWay,
  RowsInTheWay,
  requireWay,
  ScriptRun,
} from "../../migrations/script-runner.ts";
import type { Client } from "./client.ts";
import { fingerprintOf } from "./fingerprint.ts";
import { statementsOf } from "./statements.ts";

/**
 * In MariaDB every DDL statement ends the transaction. So that a run that is killed can be continued
 * exactly where it stopped, a journal is kept: for DDL before it begins, with a fingerprint of
 * the catalogue, from which the next run sees whether it happened; for everything else in the same transaction.
 */
export class StepJournal implements Journal {
  constructor(
    readonly client: Client,
    /** The same connection as running scripts needs it. */
    readonly connection: ConstructorParameters<typeof ScriptRun>[0],
  ) {}

  async open(): Promise<{ name: string; direction: "forward" | "back" } | undefined> {
    const entry = await this.#entry();
    return entry && { name: entry.migration, direction: entry.direction };
  }

  /** Runs a script, or what is left of it. When it fails between two steps, the steps before are reverted. */
  async run(task: Task, options: ApplyOptions): Promise<Outcome | undefined> {
    requireWay(task.script);
    const entry = (await this.#entry()) ?? (await this.#begin(task, options));
    if (entry.undoing) {
      await this.#takeBack(entry, task, options);
      return undefined;
    }
    const operations = operationsOf(task.script);
    refuseEdited(entry, operations);
    const kept = keptWithin(options, entry.kept);
    const folders = { begun: kept, folder: kept };
    const run = new ScriptRun(this.connection, { ...options, ...task }, folders);
    try {
      await this.#proceed(entry, operations, run, options);
    } catch (error) {
      if ((error as { fatal?: boolean }).fatal) throw error;
      await this.client.query("rollback");
      const steps = stepsToTakeBack(entry.done, operations, operationsOf(task.other));
      if (!steps) throw halfWay(error, entry, operations);
      await this.#save({
        ...entry,
        undoing: 1,
        script: task.other,
        steps: steps.join(","),
        done: 0,
        catalogue: null,
      });
      await this.#takeBack((await this.#entry()) ?? entry, task, options);
      throw error;
    }
    await this.#sweep();
    const keeps = operations.some(({ part }) => part.kind === "keep");
    return { findings: run.findings, ...(keeps && { kept }) };
  }

  async close(): Promise<void> {
    await this.client.query("delete from levadura_journal");
  }

  async #begin({ name, direction, script }: Task, { keptFolder }: ApplyOptions): Promise<Entry> {
    await this.#sweep();
    const entry: Entry = {
      migration: name,
      direction,
      undoing: 0,
      script,
      steps: "",
      done: 0,
      catalogue: null,
      kept: keptFolderOf(keptFolder, direction === "back" ? `${name}-back` : name),
    };
    await this.#save(entry);
    return entry;
  }

  async #proceed(
    entry: Entry,
    operations: readonly Operation[],
    run: ScriptRun,
    { progress }: ApplyOptions,
  ): Promise<void> {
    while (entry.done < operations.length) {
      const { part, step, defines } = operations[entry.done] as Operation;
      progress?.(entry.migration, entry.done + 1, operations.length);
      if (part.kind !== "run") {
        await run.take(part);
        await this.#reach(entry, entry.done + 1);
      } else if (defines) {
        const before = await fingerprintOf(this.client);
        if (entry.catalogue === null || entry.catalogue === before) {
          await this.#save(Object.assign(entry, { catalogue: before }));
          await this.client.query(part.sql);
        }
        await this.#reach(entry, entry.done + 1);
      } else {
        // What a step changes in rows is changed together.
        const rest = operations.slice(entry.done);
        const end = rest.findIndex((each) => each.step !== step || !isChange(each));
        const together = end < 0 ? rest : rest.slice(0, end);
        await this.client.query("begin");
        for (const each of together) {
          if (each.part.kind === "run") await this.client.query(each.part.sql);
        }
        const done = entry.done + together.length;
        await this.#save({ ...entry, done });
        await this.client.query("commit");
        entry.done = done;
      }
    }
  }

  /** Reverts the steps that an entry names, newest first. */
  async #takeBack(entry: Entry, { keptBefore }: Task, options: ApplyOptions): Promise<void> {
    const steps = new Set(entry.steps.split(",").filter(Boolean).map(Number));
    const operations = operationsOf(entry.script).filter(({ step }) => steps.has(step));
    const forward = entry.direction === "forward";
    // What is brought back is what this run kept; what is kept again is stored in the same place. What this run had made
    // itself is kept apart until then, since files of both may be called alike.
    const kept = keptWithin(options, forward ? entry.kept : (keptBefore ?? entry.kept));
    const again = forward ? `${kept}-undone` : kept;
    const folders = { begun: again, folder: again };
    const named = { ...options, name: entry.migration, keptBefore: kept };
    await this.#proceed(entry, operations, new ScriptRun(this.connection, named, folders), options);
    await this.#sweep();
    await this.close();
    for (const folder of forward ? [kept, again] : []) {
      rmSync(folder, { recursive: true, force: true });
    }
  }

  async #reach(entry: Entry, done: number): Promise<void> {
    await this.#save(Object.assign(entry, { done, catalogue: null }));
  }

  /** Drops the tables that steps lay rows aside in. */
  async #sweep(): Promise<void> {
    const aside = await this.client.query<{ name: string }>(
      "select table_name as name from information_schema.tables where table_schema = database() and (table_name like 'levadura\\_kept\\_%' or table_name in ('levadura_same', 'levadura_gone', 'levadura_before'))",
    );
    for (const { name } of aside) {
      await this.client.query(`drop table if exists \`${name.replaceAll("`", "``")}\``);
    }
  }

  async #entry(): Promise<Entry | undefined> {
    if (!(await this.connection.hasTable("levadura_journal"))) return undefined;
    const [entry] = await this.client.query<Entry>("select * from levadura_journal");
    return entry;
  }

  async #save(entry: Entry): Promise<void> {
    if (!(await this.connection.hasTable("levadura_journal"))) await this.client.query(table);
    const { migration, direction, undoing, script, steps, done, catalogue, kept } = entry;
    await this.client.query(
      "replace into levadura_journal (entry, migration, direction, undoing, script, steps, done, catalogue, kept) values (1, ?)",
      [[migration, direction, undoing, script, steps, done, catalogue, kept]],
    );
  }
}

/** A folder of kept rows by its name alone: a database can't send anybody elsewhere. */
function keptWithin({ keptFolder }: ApplyOptions, kept: string): string {
  return join(keptFolder, basename(kept));
}

/** The progress of a run. */
interface Entry {
  migration: string;
  direction: "forward" | "back";
  /** Whether the run is reverting the steps it made. */
  undoing: number;
  /** The script that is run. */
  script: string;
  /** The steps to be reverted, with commas between them. */
  steps: string;
  /** How many operations are done. */
  done: number;
  /** The fingerprint of the catalogue before the next definition, once that has begun. */
  catalogue: string | null;
  /** The folder for what is deleted. */
  kept: string;
}

const table = `create table levadura_journal (
  entry int not null primary key,
  migration varchar(200) not null,
  direction varchar(10) not null,
  undoing int not null,
  script longtext not null,
  steps text not null,
  done int not null,
  catalogue varchar(64),
  kept text not null
) engine = InnoDB`;

/** A statement of a script, or something that the runner does. */
interface Operation {
  part: ScriptPart;
  /** The number of its step; 0 before the first. */
  step: number;
  /** Whether it is a statement that ends every transaction. */
  defines: boolean;
}

const definition =
  /^(?:set\s+statement\s[\s\S]*?\sfor\s+)?(?:create|alter|drop|rename|truncate)\s/i;
const layingAside = /^(?:create table|insert into|drop table) `levadura_/i;

function operationsOf(script: string): Operation[] {
  const operations: Operation[] = [];
  let step = 0;
  for (const part of parseScript(script)) {
    if (part.kind === "step") step = part.number;
    else if (part.kind !== "run") operations.push({ part, step, defines: false });
    else {
      for (const sql of statementsOf(part.sql)) {
        operations.push({ part: { kind: "run", sql }, step, defines: definition.test(sql) });
      }
    }
  }
  return operations;
}

function isChange({ part, defines }: Operation): boolean {
  return part.kind === "run" && !defines;
}

/** A script may be corrected while it is half-way, but not in what is done. */
function refuseEdited({ script, done, migration }: Entry, operations: readonly Operation[]): void {
  const begun = JSON.stringify(operationsOf(script).slice(0, done));
  if (begun === JSON.stringify(operations.slice(0, done))) return;
  throw new NoWay(
    `The migration ${migration} is half-way, and what is done of it already was edited since. Take that edit back.`,
  );
}

/** The steps that are done, where the one that failed has changed nothing yet and all can be reverted. */
function stepsToTakeBack(
  done: number,
  operations: readonly Operation[],
  others: readonly Operation[],
): number[] | undefined {
  const failed = operations[done]?.step ?? 0;
  const changing = operations
    .slice(0, done)
    .filter(({ part }) => part.kind === "run" && !layingAside.test(part.sql));
  const steps = [...new Set(changing.map(({ step }) => step))];
  const known = new Set(others.map(({ step }) => step));
  return steps.some((step) => step === failed || step === 0 || !known.has(step))
    ? undefined
    : steps;
}

/** An error that needs the run to be continued, or a person to step in. */
function halfWay(
  error: unknown,
  { migration, done }: Entry,
  operations: readonly Operation[],
): Error {
  const { message } = error as Error;
  const about = `the migration ${migration} stopped within its step ${operations[done]?.step ?? 0}, and the next run continues there`;
  if (error instanceof RowsInTheWay) {
    return new NoWay(`${message}; ${about}. Correct these rows first.`);
  }
  const { code } = error as { code?: string };
  return Object.assign(new Error(`${message}; ${about}`), { code, about });
}
