import { expect, onTestFinished } from "vitest";
import { type kinds, projectOn, type TestProject } from "./kinds.ts";
import { levadura } from "./program.ts";

/** The head of a model. */
export const head =
  "levadura: 1\napp: {name: Hive Book, timezone: UTC, language: en, currency: EUR, database: sqlite}\nentities:\n";

/** Lookups that the model has rows of, hives, and what hangs on both. */
export const bees = `${head}  Remedy:
    title: "{name}"
    fields:
      name: text 2..40, required, unique
      strength: choice mild | strong, required, default mild
      since: date, default today
      replaces: one Remedy
    seed:
      - {name: oxalic acid, strength: strong}
      - {name: "thymol", replaces: oxalic acid}
  Keeper:
    fields:
      name: text, required, unique
      mentor: one Keeper
  Hive:
    title: "{code}"
    fields:
      code: text 3..10, required, unique, placeholder B-07
      installed: date ..today, required
      keepers: many Keeper
    seed: 20
  Treatment:
    fields:
      hive: part of Hive
      remedy: one Remedy, required
      date: date ..today, required
`;

/** A project whose database has its tables. */
export async function migrated(kind: (typeof kinds)[number], model: string): Promise<TestProject> {
  const project = projectOn(kind, model);
  onTestFinished(project.remove);
  for (const command of ["prepare", "migrate"]) {
    expect(await levadura([command], project.folder)).toMatchObject({ status: 0, err: "" });
  }
  return project;
}

/** What seeding gave, as scripts are told. */
export async function seeded(folder: string, ...args: string[]) {
  const { status, out, err } = await levadura(["seed", "--json", ...args], folder);
  expect([status, err]).toEqual([0, ""]);
  return JSON.parse(out) as { rows: Record<string, number>; skipped: string[]; kept?: string };
}

/** What seeding said, without a trace of a stack. */
export async function refused(folder: string, ...args: string[]) {
  const { status, err } = await levadura(["seed", ...args], folder);
  expect(err).not.toMatch(/\n {4}at /);
  return { status, err };
}
