import { existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { levadura, projectWith } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book}
entities:
  Apiary: {fields: {name: "text, required, unique", town: text}}
  Hive:
    title: "{code}"
    fields:
      code: text ..20, required, unique
      apiary: one Apiary
      status: choice active | weak, default active
      notes: long text
`;

/** A built project, and what is done with it. */
async function built() {
  const folder = projectWith(model);
  const form = join(folder, "app/src/entities/hive/hive.form.tsx");
  const build = async (...more: string[]) => {
    const { out, err, status } = await levadura(["build", "--json", ...more], folder);
    expect([status, err]).toEqual([0, ""]);
    const { kept, merged, conflicts, written } = JSON.parse(out);
    return { kept, merged, conflicts, written };
  };
  await build();
  return {
    folder,
    build,
    form,
    read: () => readFileSync(form, "utf8"),
    edit: (from: string, to: string) => {
      const text = readFileSync(form, "utf8");
      expect(text).toContain(from);
      writeFileSync(form, text.replace(from, to));
    },
    say: (from: string, to: string) => {
      const file = join(folder, "model.yaml");
      const text = readFileSync(file, "utf8");
      expect(text).toContain(from);
      writeFileSync(file, text.replace(from, to));
    },
  };
}

const path = "src/entities/hive/hive.form.tsx";

describe("what was edited and is generated again", () => {
  it("has both, where they don't meet, and goes on from there", async () => {
    const { build, edit, say, read, folder } = await built();
    edit(
      "export function HiveFormPage",
      "// The keepers asked for this.\nexport function HiveFormPage",
    );
    expect(await build()).toMatchObject({ kept: [path], merged: [], conflicts: [] });
    say("notes: long text", "notes: long text, hint What was seen");
    const { out } = await levadura(["build", "--dry-run"], folder);
    expect(out).toContain(`merge   app/${path}  edited by hand`);
    expect(read()).not.toContain("What was seen");
    expect(await build()).toMatchObject({ kept: [], merged: [path], conflicts: [] });
    expect(read()).toContain("// The keepers asked for this.\nexport function HiveFormPage");
    expect(read()).toContain('hint="What was seen"');
    const merged = read();
    expect(await build()).toEqual({ kept: [path], merged: [], conflicts: [], written: 0 });
    say(", hint What was seen", "");
    expect(await build()).toMatchObject({ merged: [path] });
    expect(read()).toBe(merged.replace(' hint="What was seen"', ""));
    // Without the edit, it is as it would be generated.
    edit("// The keepers asked for this.\n", "");
    expect(await build()).toMatchObject({ kept: [], merged: [], written: 0 });
  });

  it("stays as it is where they meet, with what is new beside it, until somebody has seen to it", async () => {
    const { build, edit, say, read, form, folder } = await built();
    const offered = `${form}.offered`;
    edit('name="notes"', 'name="notes" hint="Our own"');
    say("notes: long text", "notes: long text, hint What was seen");
    const mine = read();
    const { err } = await levadura(["build"], folder);
    expect(err).toContain(`app/${path} was edited by hand where something is new, and stays`);
    expect(err).toContain(`Copy what you want from app/${path}.offered, then delete that file.`);
    expect(read()).toBe(mine);
    expect(readFileSync(offered, "utf8")).toContain('hint="What was seen"');
    expect(await build()).toMatchObject({ conflicts: [path], merged: [], kept: [] });
    // Something else that is new goes on standing beside it.
    say("code: text ..20", "code: text ..20, hint On the front");
    expect(await build()).toMatchObject({ conflicts: [path] });
    expect(readFileSync(offered, "utf8")).toContain('hint="On the front"');
    expect(read()).toBe(mine);
    // What somebody wrote beside is theirs.
    const beside = readFileSync(offered, "utf8");
    writeFileSync(offered, `${beside}// to be asked\n`);
    say("apiary: one Apiary", "apiary: one Apiary, hint Of the club");
    expect(await build()).toMatchObject({ conflicts: [path] });
    expect(readFileSync(offered, "utf8")).toBe(`${beside}// to be asked\n`);
    say(", hint Of the club", "");
    // Seen to: what stood beside it is what later changes are compared with.
    edit('name="code"', 'name="code" hint="On the front"');
    rmSync(offered);
    expect(await build()).toMatchObject({ kept: [path], conflicts: [] });
    expect(existsSync(offered)).toBe(false);
    say("apiary: one Apiary", "apiary: one Apiary, hint Where it stands");
    expect(await build()).toMatchObject({ merged: [path], conflicts: [] });
    expect(read()).toContain('hint="Our own"');
    expect(read()).toContain('hint="Where it stands"');
  });

  it("stays as it is where both together can't be read, and ends with what is generated", async () => {
    const { build, edit, say, read, form } = await built();
    edit("export function HiveFormPage", "export function (HiveFormPage");
    say("notes: long text", "notes: long text, hint What was seen");
    expect(await build()).toMatchObject({ conflicts: [path], merged: [] });
    expect(read()).not.toContain("What was seen");
    // What stands beside it is taken as it is.
    writeFileSync(form, readFileSync(`${form}.offered`, "utf8"));
    expect(await build()).toEqual({ kept: [], merged: [], conflicts: [], written: 0 });
    expect(existsSync(`${form}.offered`)).toBe(false);
  });
});

describe("names that the model changes", () => {
  const renamed = (text: string) =>
    text
      .replace('  Hive:\n    title: "{code}"\n', '  Colony:\n    was: Hive\n    title: "{mark}"\n')
      .replace("code: text ..20", "mark: text ..20, was code")
      .replace("weak, default", "gone was weak, default");

  it("are changed in edited files, which move, and in those that somebody wrote beside them", async () => {
    const { folder, build, edit } = await built();
    const at = (path: string) => join(folder, "app/src/entities", path);
    edit(
      "export function HiveFormPage",
      "/** What a hive is asked. */\nexport function HiveFormPage",
    );
    edit('name="code"', 'name="code" placeholder="The code of a hive"');
    const list = readFileSync(at("hive/hive.list.tsx"), "utf8")
      .replace('"status"]', '"status", { label: "Weak", cell: (hive) => isWeak(hive) }]')
      .replace("import type { hive", 'import { isWeak } from "./weak.ts";\nimport type { hive');
    writeFileSync(at("hive/hive.list.tsx"), list);
    const weak = `import type { HiveRow } from "./hive.ts";\n\n/** A hive with a code can be weak. */\nexport const isWeak = (hive: HiveRow) => \`\${hive.code}: a weak hive? \${hive.status === "weak"}\`;\n`;
    writeFileSync(at("hive/weak.ts"), weak);
    const rules = readFileSync(at("hive/hive.rules.ts"), "utf8").replace(
      "= {}",
      '= {\n  check: (hive) => (hive.code === "" && hive.status === "weak" ? { code: "A code." } : {}),\n}',
    );
    writeFileSync(at("hive/hive.rules.ts"), rules);
    rmSync(join(folder, "app/test/hive.test.ts"));
    expect(await build()).toMatchObject({ merged: [], conflicts: [] });
    const model = join(folder, "model.yaml");
    writeFileSync(model, renamed(readFileSync(model, "utf8")));
    const { out } = await levadura(["build", "--dry-run"], folder);
    expect(out).toContain(
      "rename  app/src/entities/hive/hive.rules.ts to app/src/entities/colony/colony.rules.ts",
    );
    expect(await build()).toMatchObject({
      merged: ["src/entities/colony/colony.list.tsx", "src/entities/colony/colony.form.tsx"],
      conflicts: [],
      kept: [],
    });
    expect(existsSync(at("hive"))).toBe(false);
    const form = readFileSync(at("colony/colony.form.tsx"), "utf8");
    expect(form).toContain("/** What a hive is asked. */\nexport function ColonyFormPage");
    expect(form).toContain('name="mark" placeholder="The code of a hive"');
    expect(readFileSync(at("colony/colony.list.tsx"), "utf8")).toContain(
      '"mark", "apiary_id", "status", { label: "Weak", cell: (hive) => isWeak(hive) }]',
    );
    expect(readFileSync(at("colony/weak.ts"), "utf8")).toBe(
      weak
        .replace("HiveRow", "ColonyRow")
        .replace("./hive.ts", "./colony.ts")
        .replace("HiveRow", "ColonyRow")
        .replace("hive.code", "hive.mark")
        .replace('"weak"', '"gone"'),
    );
    expect(readFileSync(at("colony/colony.rules.ts"), "utf8")).toContain(
      'check: (hive) => (hive.mark === "" && hive.status === "gone" ? { mark: "A code." } : {}),',
    );
    // What was deleted stays so under the new name.
    expect(await build()).toMatchObject({ merged: [], conflicts: [], written: 0 });
    expect(await build()).toMatchObject({ written: 0 });
    expect(existsSync(join(folder, "app/test/colony.test.ts"))).toBe(false);
  });

  it("are changed in files that can't be read as well, for those that use them", async () => {
    const { folder, build } = await built();
    const at = (path: string) => join(folder, "app/src/entities", path);
    for (const [file, from, to] of [
      ["hive/hive.ts", "  indexed: [", "  indexed: (["],
      ["hive/hive.list.tsx", "import type { hive", "// What people see.\nimport type { hive"],
    ] as const) {
      const text = readFileSync(at(file), "utf8");
      expect(text).toContain(from);
      writeFileSync(at(file), text.replace(from, to));
    }
    const model = join(folder, "model.yaml");
    writeFileSync(model, renamed(readFileSync(model, "utf8")));
    expect(await build()).toMatchObject({
      merged: ["src/entities/colony/colony.list.tsx"],
      conflicts: ["src/entities/colony/colony.ts"],
    });
    expect(readFileSync(at("colony/colony.ts"), "utf8")).toMatch(/colonyEntity = [\s\S]*: \(\[/);
    expect(await build()).toMatchObject({ merged: [], written: 0 });
  });

  it("may be exchanged", async () => {
    const { folder, build } = await built();
    const at = (path: string) => join(folder, "app/src/entities", path);
    for (const name of ["hive", "apiary"]) {
      const path = at(`${name}/${name}.list.tsx`);
      writeFileSync(path, `// The list of ${name} one.\n${readFileSync(path, "utf8")}`);
    }
    const model = join(folder, "model.yaml");
    const text = readFileSync(model, "utf8")
      .replace("  Apiary: {", "  Hive: {was: Apiary, ")
      .replace("  Hive:\n", "  Apiary:\n    was: Hive\n")
      .replace("one Apiary", "one Hive");
    writeFileSync(model, text);
    expect(await build()).toMatchObject({
      merged: ["src/entities/hive/hive.list.tsx", "src/entities/apiary/apiary.list.tsx"],
      conflicts: [],
    });
    const [hive, apiary] = ["hive", "apiary"].map((name) =>
      readFileSync(at(`${name}/${name}.list.tsx`), "utf8"),
    );
    expect(hive).toMatch(/^\/\/ The list of apiary one\.\n[\s\S]*hiveColumns[\s\S]*"town"/);
    expect(apiary).toMatch(/^\/\/ The list of hive one\.\n[\s\S]*apiaryColumns[\s\S]*"code"/);
    // Seen to: it isn't done again while the model says `was`.
    expect(await build()).toMatchObject({ written: 0, merged: [] });
  });
});

describe("an edited file", () => {
  it("stays as it is where it wouldn't compile with what is new, and its errors of before are no reason", async () => {
    const { folder, build, edit, say, read } = await built();
    edit("<FormFrame form={form}>", '<FormFrame form={form} wrong="before">');
    edit('wrong="before">', 'wrong="before">\n      <LongTextField form={form} name="notes" />');
    say("      apiary: one Apiary\n", "      apiary: one Apiary, hint Where it stands\n");
    expect(await build()).toMatchObject({ merged: [path], conflicts: [] });
    const mine = read();
    say("      notes: long text\n", "      size: integer\n");
    const { err } = await levadura(["build"], folder);
    expect(err).toMatch(
      /hive\.form\.tsx was edited by hand .*, and stays as it is: joined, it doesn't compile: \d+: /,
    );
    expect(err).toContain("LongTextField");
    expect(read()).toBe(mine);
  });

  it("isn't joined by the next build because its errors are errors of before by then", async () => {
    const { folder, build, say } = await built();
    const list = join(folder, "app/src/entities/hive/hive.list.tsx");
    const mine = `${readFileSync(list, "utf8")}\n/** More of a hive. */\nexport const more: Columns<typeof hiveEntity> = ["notes"];\n`;
    writeFileSync(list, mine);
    expect(await build()).toMatchObject({ merged: [], conflicts: [] });
    say("      notes: long text\n", "      size: integer\n");
    for (const written of [expect.any(Number), 0]) {
      expect(await build()).toMatchObject({
        merged: [],
        conflicts: ["src/entities/hive/hive.list.tsx"],
        written,
      });
      expect(readFileSync(list, "utf8")).toBe(mine);
    }
  });

  it("is told with all others by one line where there are more than ten", async () => {
    const { folder, build } = await built();
    const entities = join(folder, "app/src/entities");
    const paths = readdirSync(entities, { recursive: true, encoding: "utf8" })
      .filter((path) => /\.tsx?$/.test(path) && !path.endsWith(".rules.ts"))
      .map((path) => join(entities, path));
    paths.push(join(folder, "app/src/database.ts"));
    for (const path of paths) writeFileSync(path, `// Ours.\n${readFileSync(path, "utf8")}`);
    const { err } = await levadura(["build"], folder);
    expect(err.split("\n").filter((line) => line.includes("edited by hand"))).toEqual([
      `! ${paths.length} files of app/ were edited by hand and stay as they are; \`levadura build --dry-run\` names them`,
    ]);
    expect((await build()).kept).toHaveLength(paths.length);
  });

  it("stays deleted, until it is asked for", async () => {
    const { folder, build, say } = await built();
    const test = join(folder, "app/test/hive.test.ts");
    rmSync(test);
    say("notes: long text", "notes: long text, hint What was seen");
    const { err } = await levadura(["build"], folder);
    expect(err).toContain("app/test/hive.test.ts was deleted by hand and isn't written again");
    expect(existsSync(test)).toBe(false);
    const wrong = await levadura(["build", "--restore", "test/hives.test.ts"], folder);
    expect([wrong.status, wrong.err]).toEqual([2, expect.stringContaining("no file of that path")]);
    expect(await build("--restore", "app/test/hive.test.ts")).toMatchObject({ written: 1 });
    expect(existsSync(test)).toBe(true);
    // The whole of it is written where nothing of it is there.
    rmSync(join(folder, "app"), { recursive: true });
    expect((await build()).written).toBeGreaterThan(100);
  });
});
