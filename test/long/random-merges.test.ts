import { cpSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, it } from "vitest";
import { Compiler } from "../../src/io/compiler/compiler.ts";
import { levadura, projectWith, temporaryFolder } from "../support/program.ts";

/** How many projects are edited and built again; each has edits in about two dozen places. */
const projects = Number(process.env.MERGES ?? 8);

interface Entity {
  name: string;
  was?: string;
  /** Each field as it is written behind its name. */
  fields: Record<string, string>;
}

const begun: Entity[] = [
  { name: "Apiary", fields: { name: "text, required, unique", town: "text", opened: "date" } },
  {
    name: "Hive",
    fields: {
      code: "text ..20, required, unique",
      apiary: "one Apiary",
      status: "choice active | weak | queenless, default active",
      frames: "integer 0..40",
      notes: "long text",
    },
  },
  {
    name: "Harvest",
    fields: { hive: "one Hive, required", date: "date, required", weight: "decimal, unit kg" },
  },
];

function modelOf(entities: readonly Entity[]): string {
  const texts = entities.map(({ name, was, fields }) => {
    const lines = Object.entries(fields).map(([field, text]) => `      ${field}: ${text}\n`);
    return `  ${name}:\n${was ? `    was: ${was}\n` : ""}    fields:\n${lines.join("")}`;
  });
  return `levadura: 1\napp: {name: Hive Book}\nentities:\n${texts.join("")}`;
}

/** A change of a model: it changes what it is given. `pick` chooses among several things. */
type ModelChange = (entities: Entity[], pick: (many: number) => number) => void;

const changes: Record<string, ModelChange> = {
  "a new field": (entities, pick) => {
    const { fields } = entities[pick(entities.length)] as Entity;
    fields[`added_${Object.keys(fields).length}`] =
      ["integer", "text, hint Asked", "date"][pick(3)] ?? "";
  },
  "a field less": (entities, pick) => {
    const { fields } = entities[pick(entities.length)] as Entity;
    const [name] = Object.keys(fields).slice(-1 - pick(2));
    if (Object.keys(fields).length > 2 && name) delete fields[name];
  },
  "another name of a field": (entities, pick) => {
    const entity = entities[pick(entities.length)] as Entity;
    const names = Object.keys(entity.fields);
    const old = names[pick(names.length)] ?? "";
    if (/was/.test(entity.fields[old] ?? "was")) return;
    entity.fields = Object.fromEntries(
      Object.entries(entity.fields).map(([name, text]) =>
        name === old ? [`${name}_now`, `${text}, was ${name}`] : [name, text],
      ),
    );
  },
  "another name of an entity": (entities, pick) => {
    const entity = entities[pick(entities.length)] as Entity;
    if (entity.was) return;
    const { name } = entity;
    entity.was = name;
    entity.name = `${name}Record`;
    for (const { fields } of entities) {
      for (const [field, text] of Object.entries(fields))
        fields[field] = text.replace(`one ${name}`, `one ${entity.name}`);
    }
  },
  "another name of a choice": (entities) => {
    for (const { fields } of entities)
      for (const [field, text] of Object.entries(fields))
        fields[field] = text.replace("| weak |", "| feeble was weak |");
  },
  "other words": (entities, pick) => {
    const { fields } = entities[pick(entities.length)] as Entity;
    const [name] = Object.keys(fields).slice(pick(2));
    if (name && !/hint|label/.test(fields[name] ?? ""))
      fields[name] += ", label Other, hint New words";
  },
  "a new entity": (entities) => {
    if (entities.length < 4)
      entities.push({
        name: "Queen",
        fields: { colour: "text", hive: `one ${entities[1]?.name}` },
      });
  },
};

/** An edit of the lines of a file; `mark` is a text of its own that it leaves behind, where it adds something. */
type Edit = (lines: string[], pick: (many: number) => number, mark: string) => string[];

const edits: Record<string, Edit> = {
  "a line more": (lines, pick, mark) => lines.toSpliced(pick(lines.length), 0, `// ${mark}`),
  "several lines more": (lines, pick, mark) =>
    lines.toSpliced(pick(lines.length), 0, "", `// ${mark}`, `// ${mark} and more`, ""),
  "a line changed": (lines, pick, mark) => {
    const at = pick(lines.length);
    return lines.with(at, `${lines[at] ?? ""} // ${mark}`);
  },
  "a line less": (lines, pick) => lines.toSpliced(pick(lines.length), 1),
  "another name of a variable": (lines, pick, mark) => {
    const names = [...new Set(lines.join("\n").match(/\b(view|form|related|row|scope)\b/g) ?? [])];
    const name = names[pick(names.length || 1)];
    return name === undefined
      ? lines
      : [...lines.map((line) => line.replaceAll(`={${name}}`, `={/* ${mark} */ ${name}}`))];
  },
  "what is first goes last": (lines) => {
    const text = lines.join("\n");
    const [imports = "", ...blocks] = text.split(/\n\n(?=\/\*\*|export)/);
    return [imports, ...blocks.slice(1), ...blocks.slice(0, 1)].join("\n\n").split("\n");
  },
};

let original = "";
beforeAll(async () => {
  original = projectWith(modelOf(begun), true);
  expect(await levadura(["build"], original)).toMatchObject({ status: 0 });
});
afterAll(() => rmSync(original, { recursive: true, force: true }));

const edited = /^src\/(entities\/.*\.tsx?|app\.ts|database\.ts|app\.css)$|^test\/.*\.ts$/;

/** The source files of an application that somebody may edit, by their paths. */
function sourcesOf(folder: string): Map<string, string> {
  const app = join(folder, "app");
  const files = readdirSync(app, { recursive: true, encoding: "utf8" });
  const found = files.filter((path) => edited.test(path)).sort();
  return new Map(found.map((path) => [path, readFileSync(join(app, path), "utf8")]));
}

/** What the compiler says of some files of a project. */
async function errorsIn(folder: string, paths: readonly string[]) {
  const compiler = new Compiler(join(folder, "app"));
  const found = await compiler.errors(new Map(), paths);
  compiler.close();
  return found;
}

const seed = fc.array(fc.nat(1_000_000), { minLength: 40, maxLength: 40 });
const plan = fc.record({
  numbers: seed,
  edits: fc.array(fc.constantFrom(...Object.keys(edits)), { minLength: 20, maxLength: 28 }),
  changes: fc.uniqueArray(fc.constantFrom(...Object.keys(changes)), { minLength: 2, maxLength: 4 }),
});

it(`loses no line that somebody wrote, whatever they and the model changed (${projects} projects)`, async () => {
  const seen = { merged: 0, conflicts: 0, renamed: 0 };
  await fc.assert(
    fc.asyncProperty(plan, async ({ numbers, ...chosen }) => {
      const folder = join(temporaryFolder(true), "project");
      cpSync(original, folder, { recursive: true });
      try {
        let drawn = 0;
        const pick = (many: number) => (numbers[drawn++ % numbers.length] ?? 0) % Math.max(many, 1);
        const sources = sourcesOf(folder);
        for (const [nth, name] of chosen.edits.entries()) {
          const path = [...sources.keys()][pick(sources.size)] ?? "";
          const lines = (sources.get(path) ?? "").split("\n");
          const changed = (edits[name] as Edit)(lines, pick, `edit-${nth}-`).join("\n");
          sources.set(path, changed);
          writeFileSync(join(folder, "app", path), changed);
        }
        const marks = [...sources.values()].flatMap(
          (text) => text.match(/edit-\d+-(?: and more)?/g) ?? [],
        );
        const modules = [...sources.keys()].filter((path) => /tsx?$/.test(path));
        const before = await errorsIn(folder, modules);
        if (!before) throw new Error("the compiler couldn't be started");
        const entities = structuredClone(begun);
        for (const name of chosen.changes) (changes[name] as ModelChange)(entities, pick);
        writeFileSync(join(folder, "model.yaml"), modelOf(entities));
        const { out, err, status } = await levadura(["build", "--json"], folder);
        expect([status, err]).toEqual([0, ""]);
        const built = JSON.parse(out);
        expect(built.unchecked).toBe(false);
        seen.merged += built.merged.length;
        seen.conflicts += built.conflicts.length;
        const after = sourcesOf(folder);
        const left = [...after.values()].join("\n");
        expect(marks.filter((mark) => !left.includes(mark))).toEqual([]);
        for (const path of built.conflicts)
          expect(existsSync(join(folder, "app", `${path}.offered`)), path).toBe(true);
        const merged = built.merged.filter((path: string) => /tsx?$/.test(path));
        const errors = await errorsIn(folder, merged);
        for (const { path, from = path, state } of built.changes) {
          if (from !== path) seen.renamed++;
          if (state !== "merged" || !/tsx?$/.test(path)) continue;
          const known = (before.get(from) ?? []).map(({ code }) => code);
          const fresh = (errors?.get(path) ?? []).filter(({ code }) => !known.includes(code));
          expect(fresh, path).toEqual([]);
        }
        // A second time, there is nothing to do.
        const again = JSON.parse((await levadura(["build", "--json"], folder)).out);
        expect(again).toMatchObject({ written: 0, removed: 0, merged: [] });
        expect(sourcesOf(folder)).toEqual(after);
      } finally {
        rmSync(join(folder, ".."), { recursive: true, force: true });
      }
    }),
    { numRuns: projects, endOnFailure: true },
  );
  console.log("merging:", seen);
  expect(seen.merged).toBeGreaterThan(projects);
});
