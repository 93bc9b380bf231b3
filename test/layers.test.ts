import { mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { describe, expect, it } from "vitest";
import { circlesIn, type Import, importsOf, sourcesBelow } from "./support/imports.ts";
import { repository, temporaryFolder } from "./support/program.ts";

/** What each layer may import of this repository. */
const allowed: Readonly<Record<string, readonly string[]>> = {
  // What is the same in Levadura and in applications: formulas, how a database writes them, the parts of scripts.
  "src/core": [
    "src/core",
    "kit/formula",
    ...["sqlite", "postgres", "mariadb"].flatMap((kind) => [
      `kit/database/${kind}/formulas.ts`,
      `kit/database/${kind}/literals.ts`,
    ]),
    "kit/database/sqlite/text-order.ts",
    "kit/migrations/script-part.ts",
  ],
  "src/io": ["src/io", "src/core", "kit"],
  "src/flows": ["src/flows", "src/io", "src/core", "kit"],
  "src/cli": ["src/cli", "src/flows", "src/core", "kit/formula/nearest.ts"],
  "kit/formula": ["kit/formula"],
  kit: ["kit"],
};
const layers = Object.keys(allowed);

/** Within core: a part may import those before it, and itself. */
const coreOrder = [
  "failure.ts",
  "naming",
  "fields",
  "model",
  "schema",
  "evolution",
  "sql",
  "formula",
  "tabular",
  "seeding",
  "appgen",
];

/** The packages of core: none of them does I/O. */
const corePackages = /^(node:util|diff|node-diff3|yaml|zod|@faker-js\/faker\/locale\/(en|es))$/;

/** What is wrong with some imports, in words. */
function faultsIn(imports: readonly Import[]): string[] {
  const faults = imports.flatMap(({ from, to }) => {
    const layer = layers.find((each) => from.startsWith(`${each}/`)) ?? "";
    const isFile = /^(src|kit|test|demo|bench)\//.test(to);
    if (!isFile) {
      return layer === "src/core" && !corePackages.test(to) ? [`${from} does I/O by ${to}`] : [];
    }
    const below = allowed[layer]?.some((each) => to === each || to.startsWith(`${each}/`));
    if (!below) return [`${from} imports ${to}`];
    const part = (path: string) => coreOrder.indexOf(path.split("/")[2] ?? "");
    const isCore = from.startsWith("src/core/") && to.startsWith("src/core/");
    return isCore && (part(to) < 0 || part(to) > part(from)) ? [`${from} imports ${to}`] : [];
  });
  return [...faults, ...circlesIn(imports).map((circle) => `a circle: ${circle.join(", ")}`)];
}

describe("imports", () => {
  it("only go down, do no I/O in core, and make no circle", () => {
    const imports = importsOf(repository, layers);
    expect(imports.length).toBeGreaterThan(1500);
    expect(faultsIn(imports)).toEqual([]);
  });

  it.each([
    ["late", 'export const x = 1;\nimport { y } from "../../flows/y.ts";\nexport const z = y;'],
    ["re-exported", 'export { y } from "../../flows/y.ts";'],
    ["re-exported as a whole", 'export * from "../../flows/y.ts";'],
    ["dynamic", 'export const x = () => import("../../flows/y.ts");'],
    ["of a type", 'import type { Y } from "../../flows/y.ts";\nexport type X = Y;'],
    ["within a type", 'export type X = import("../../flows/y.ts").Y;'],
    ["of a later part", 'import "../appgen/y.ts";'],
    [
      "of a package with I/O",
      'import { readFileSync } from "node:fs";\nexport const x = readFileSync;',
    ],
    ["of itself by another file", 'export * from "./other.ts";'],
  ])("that are wrong are found where they are %s", (_name, text) => {
    const root = temporaryFolder();
    const files = { "src/core/naming/x.ts": text, "src/core/naming/other.ts": 'import "./x.ts";' };
    for (const [path, content] of Object.entries(files)) {
      mkdirSync(join(root, dirname(path)), { recursive: true });
      writeFileSync(join(root, path), content);
    }
    expect(faultsIn(importsOf(root, ["src"]))).toHaveLength(1);
  });

  it("in text that is generated are no imports", () => {
    const root = temporaryFolder();
    mkdirSync(join(root, "src/core/appgen"), { recursive: true });
    const text = 'export const made = `import { readFileSync } from "node:fs";`;';
    writeFileSync(join(root, "src/core/appgen/x.ts"), text);
    expect(importsOf(root, ["src"])).toEqual([]);
  });
});

describe("databases", () => {
  const kinds = ["sqlite", "postgres", "mariadb"];
  it.each([
    [
      "kit/database",
      [
        "connection.ts",
        "dialect.ts",
        "formulas.ts",
        "literals.ts",
        "replication.ts",
        "scratch.ts",
        "tables.ts",
        "trouble.ts",
      ],
    ],
    ["src/core/sql", ["columns.ts", "conversions.ts", "dialect.ts", "limits.ts", "syntax.ts"]],
    ["src/io/engines", ["catalogue.ts", "engine.ts", "filling.ts", "loading.ts"]],
  ])("have the same files in %s", (folder, files) => {
    for (const kind of kinds)
      expect(readdirSync(join(repository, folder, kind)), kind).toEqual(
        expect.arrayContaining(files),
      );
    const all = kinds.map((kind) => readdirSync(join(repository, folder, kind)));
    const shared = all[0]?.filter((name) => all.every((each) => each.includes(name)));
    expect(shared?.sort()).toEqual(files);
  });
});

it("nothing but the command line and applications says something to anybody", () => {
  const silent = sourcesBelow(repository, ["src/core", "src/io", "src/flows"])
    // The generator's text is for the most part that of the code which it writes.
    .filter((path) => !path.startsWith("src/core/appgen/"));
  const loud = silent.filter((path) => {
    const text = readFileSync(join(repository, path), "utf8");
    const clock = /\bprocess\.|\bDate\.now\(\)|new Date\(\)|Math\.random/;
    return (
      /\bconsole\.|process\.std(out|err)\.write/.test(text) ||
      (path.startsWith("src/core/") && clock.test(text))
    );
  });
  expect(loud).toEqual([]);
});
