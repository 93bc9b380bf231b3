import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { describe, expect, it } from "vitest";
import { repository } from "./support/program.ts";

/** What each layer may import of this repository. */
const allowed: Record<string, string[]> = {
  // What formulas compute with, and what time it is where, are the same files in Levadura and in applications.
  "src/core": ["src/core", "kit/computing.ts", "kit/zones.ts"],
  "src/io": ["src/io", "src/core", "kit"],
  "src/flows": ["src/flows", "src/io", "src/core", "kit"],
  "src/cli": ["src/cli", "src/flows", "src/core"],
  kit: ["kit"],
};

/** Within core: a part may import those before it, and itself. */
const coreOrder = [
  "failure.ts",
  "naming",
  "model",
  "schema",
  "evolution",
  "sql",
  "formula",
  "tabular",
  "seeding",
  "appgen",
];

const sources = Object.keys(allowed).flatMap((layer) =>
  readdirSync(join(repository, layer), { recursive: true, withFileTypes: true })
    .filter(
      (entry) => entry.isFile() && /\.tsx?$/.test(entry.name) && !entry.name.includes(".test."),
    )
    .map((entry) => ({ layer, path: join(entry.parentPath, entry.name) })),
);

function imports(path: string): string[] {
  const text = readFileSync(path, "utf8");
  // Imports come first; further down, in the generator, are those of the code that it writes.
  const head = text.slice(0, /^(export|const|class|function|interface|let) /m.exec(text)?.index);
  return [...head.matchAll(/^import\s[^;]*?"([^"]+)";/gm)].map((found) => found[1] ?? "");
}

describe("imports", () => {
  it.each(sources.map(({ layer, path }) => [relative(repository, path), layer, path]))(
    "of %s only go down",
    (_name, layer = "", path = "") => {
      for (const target of imports(path)) {
        if (target.startsWith(".")) {
          const file = relative(repository, resolve(dirname(path), target));
          expect(
            allowed[layer]?.some((folder) => file === folder || file.startsWith(`${folder}/`)),
            file,
          ).toBe(true);
          if (layer === "src/core" && file.startsWith(layer)) {
            const part = (name: string) => coreOrder.indexOf(name.split("/")[2] ?? "");
            expect(part(file), file).toBeGreaterThanOrEqual(0);
            expect(part(file), file).toBeLessThanOrEqual(part(relative(repository, path)));
          }
        } else if (layer === "src/core") {
          expect(target, "core has no I/O").toMatch(
            /^(node:util|yaml|zod|@faker-js\/faker\/locale\/(en|es))$/,
          );
        }
      }
    },
  );

  it.each(
    sources
      .filter(({ layer }) => layer !== "src/cli" && layer !== "kit")
      .map(({ path }) => relative(repository, path))
      // The generator's text is for the most part that of the code which it writes.
      .filter((name) => !name.startsWith("src/core/appgen/")),
  )("and %s says nothing to anybody", (name) => {
    const text = readFileSync(join(repository, name), "utf8");
    expect(text).not.toMatch(/\bconsole\.|process\.std(out|err)\.write/);
    if (name.startsWith("src/core/"))
      expect(text).not.toMatch(/\bprocess\.|\bDate\.now\(\)|new Date\(\)|Math\.random/);
  });
});
