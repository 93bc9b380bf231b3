import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { utils, write } from "@e965/xlsx";
import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import { stringify } from "yaml";
import { parseScript } from "../kit/migrations/script.ts";
import { generateApplication } from "../src/core/appgen/application.ts";
import { difference } from "../src/core/evolution/difference.ts";
import { inverseOf } from "../src/core/evolution/inverse.ts";
import { replay } from "../src/core/evolution/steps.ts";
import { databases, type Model } from "../src/core/model/model.ts";
import { readModel } from "../src/core/model/read.ts";
import { schemaOf } from "../src/core/schema/from-model.ts";
import { dialectOf } from "../src/core/sql/dialects.ts";
import { printScript } from "../src/core/sql/script.ts";
import { versions } from "../src/io/package.ts";
import { hostilePieces, hostileText, mark, sourceParts, unseenPieces } from "./support/hostile.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, temporaryFolder } from "./support/program.ts";

const runs = Number(process.env.RUNS ?? 60);

/** A model with a text in every place that takes one: each a text of its own, by `text`. */
function modelText(text: (place: string) => string, database = "sqlite"): string {
  const line = (place: string) => text(place).replaceAll("\n", " ");
  const choices = [line("choice"), line("other choice"), "__proto__", "constructor"];
  return stringify({
    levadura: "1",
    app: { name: [...line("name")].slice(0, 60).join(""), database },
    entities: {
      Hive: {
        label: line("label"),
        plural: line("plural"),
        title: `${line("title").replace(/[{}]/g, "")} {code}`,
        fields: {
          code: {
            type: "text ..90",
            required: "yes",
            label: line("field"),
            hint: line("hint"),
            placeholder: line("placeholder"),
          },
          weight: { type: "decimal", unit: line("unit") },
          state: { type: "choice", choices, default: choices[0], required: "yes" },
          notes: { type: "long text", default: line("default") },
          null: { type: "text", "shown when": `code = ${formulaText(line("condition"))}` },
          told: { value: `= code & ${formulaText(line("formula"))}`, label: line("told") },
        },
        sections: [
          { [line("section")]: ["code", "weight"] },
          { [`2 ${line("section")}`]: ["state", "notes", "null"] },
        ],
        rules: [{ [line("rule")]: `= code <> ${formulaText(line("constant"))}` }],
      },
      Part: { fields: { hive: `part of Hive`, size: "integer" }, plural: line("parts") },
    },
  });
}

function formulaText(text: string): string {
  return `'${text.replaceAll("'", "’")}'`;
}

function modelOf(text: string): Model {
  const { model, diagnostics } = readModel(text);
  if (!model) throw new Error(`${diagnostics.map(({ message }) => message).join("\n")}\n${text}`);
  return model;
}

/** Texts by place, in the order in which they are asked for. */
const texts = fc.array(hostileText, { minLength: 20, maxLength: 20 }).map((all) => {
  const known = new Map<string, string>();
  return (place: string) => {
    const found = known.get(place) ?? `${all[known.size % all.length]}${known.size}`;
    known.set(place, found);
    return found;
  };
});

const plain = (place: string) => `${mark} ${place}`;

describe("any text of a model", () => {
  const orders = /@\p{L}|sourceMappingURL=|biome-ignore|\u2028|\u2029|[\p{Cc}\p{Bidi_Control}]/u;

  it("is only a literal or a comment in the source of the application", () => {
    const files = (text: (place: string) => string) =>
      new Map(
        generateApplication(modelOf(modelText(text)), versions)
          .filter(({ path }) => /\.tsx?$/.test(path))
          .map(({ path, text: source }) => [path, sourceParts(path, source)]),
      );
    const usual = files(plain);
    fc.assert(
      fc.property(texts, (text) => {
        for (const [path, { imports, comments, code }] of files(text)) {
          expect(code, path).not.toContain(mark);
          expect(imports, path).toEqual(usual.get(path)?.imports);
          for (const comment of comments) {
            const line = comment.replace(/\n \* ?/g, " ").trim();
            expect(line, path).not.toMatch(orders);
          }
        }
      }),
      { numRuns: runs },
    );
  });

  it.each(databases)("is only a literal or a comment in the migrations of %s", (database) => {
    const scripts = (text: (place: string) => string) => {
      const before = modelOf(modelText(text, database));
      const after = modelOf(modelText((place) => `${text(place)}.`, database));
      const first = difference({ tables: [] }, before).steps;
      const next = difference(schemaOf(before), after, {
        acceptLoss: new Set(["hive.state"]),
      }).steps;
      const dialect = dialectOf(before);
      return [
        printScript(dialect.sections(first, { tables: [] })),
        printScript(
          dialect.sections(next, schemaOf(before)),
          next.map((_, at) => at),
        ),
        printScript(dialect.sections(inverseOf(next), replay(next, schemaOf(before)))),
      ].map(parseScript);
    };
    const shape = (parts: ReturnType<typeof parseScript>) =>
      parts.map((part) => [part.kind, "file" in part && part.file, "table" in part && part.table]);
    const usual = scripts(plain).map(shape);
    fc.assert(
      fc.property(texts, (text) => {
        const made = scripts(text);
        expect(made.map(shape)).toEqual(usual);
        for (const part of made.flat()) {
          if (part.kind !== "assert no rows") continue;
          expect(part.query).toMatch(/^select /);
          expect(part.query.replace(/E?'(?:[^'\\]|''|\\[\s\S])*'/g, "")).not.toContain(mark);
        }
      }),
      { numRuns: runs },
    );
  });

  it("is refused where it holds what nobody can see", () => {
    for (const piece of unseenPieces) {
      const told = (place: string) => (place === "label" ? `Hive${piece}x` : plain(place));
      const { model, diagnostics } = readModel(modelText(told));
      expect(model, JSON.stringify(piece)).toBeUndefined();
      expect(diagnostics[0]?.message).toMatch(/nobody can see|not a text file/);
    }
    for (const blank of ["\u200b", "\u2060 \u200d", "\u3164", "\u00ad"]) {
      const told = (place: string) => (place === "label" ? blank : plain(place));
      expect(readModel(modelText(told)).diagnostics[0]?.message).toContain("nobody can see");
    }
  });
});

describe.each(kinds)("a database of $kind", (kind) => {
  const projects: { remove(): Promise<void> }[] = [];
  afterAll(async () => {
    for (const project of projects) await project.remove();
  });

  it("takes hostile texts as the texts that they are", async () => {
    const choices = [
      ...hostilePieces.map((piece) => `${mark}${piece.replace(/\s/g, " ")}`),
      "__proto__",
    ];
    const model = `levadura: 1
app: {name: Hostile, database: sqlite}
entities:
  Hive:
    fields:
      state: {type: choice, choices: ${JSON.stringify(choices)}, default: ${JSON.stringify(choices[1])}}
      notes: {type: long text, default: ${JSON.stringify("one\ntwo -- three\n--four's \\ end")}}
    seed:
${choices.map((choice) => `      - {state: ${JSON.stringify(choice)}}`).join("\n")}
`;
    const project = projectOn(kind, model);
    projects.push(project);
    for (const command of [["prepare"], ["migrate"], ["seed"]]) {
      expect(await levadura(command, project.folder)).toMatchObject({ status: 0 });
    }
    const rows = await project.rows<{ state: string; notes: string }>(
      "select state, notes from hive order by id",
    );
    expect(rows.map(({ state }) => state)).toEqual(choices);
    expect(new Set(rows.map(({ notes }) => notes))).toEqual(
      new Set(["one\ntwo -- three\n--four's \\ end"]),
    );
  });
});

describe("a workbook", () => {
  it("with code in its names is imported, and nothing of it is code or reaches the terminal", async () => {
    const folder = temporaryFolder();
    const book = utils.book_new();
    const sheet = utils.aoa_to_sheet([
      ["Code", "\u001b]0;title\u0007*/ process.exit(9) /*", "St\u202eate", "\u200b"],
      ...Array.from({ length: 12 }, (_, at) => [
        `B-${at}`,
        `\u001b[8m${mark}`,
        at % 2 ? `a*/${mark}` : "b",
        "x",
      ]),
    ]);
    utils.book_append_sheet(book, sheet, "Hives of the club");
    const path = join(folder, "book.xlsx");
    const bytes: Buffer = write(book, { type: "buffer", bookType: "xlsx" });
    // No program lets people name a sheet so, but a file may have it; its parts aren't compressed.
    const named = bytes.toString("latin1").replaceAll("Hives of the club", `Hives*/${mark}();//x`);
    writeFileSync(path, Buffer.from(named, "latin1"));
    for (const args of [["import", path], ["import", path, "--yes"], ["prepare"], ["build"]]) {
      const { status, out, err } = await levadura(args, folder);
      expect(status, out + err).toBe(args.join() === `import,${path}` ? 5 : 0);
      // biome-ignore lint/suspicious/noControlCharactersInRegex: that is what is looked for
      expect(out + err).not.toMatch(/[\x00-\x08\x0b-\x1f\x7f\u202e]/);
    }
    const model = readFileSync(join(folder, "model.yaml"), "utf8");
    expect(model).toContain("process.exit(9)");
    expect(model).toContain(`plural: Hives*/${mark}();//x`);
    const source = join(folder, "app/src/entities");
    for (const entry of readdirSync(source, { recursive: true, withFileTypes: true })) {
      if (!entry.isFile()) continue;
      const file = join(entry.parentPath, entry.name);
      const { code } = sourceParts(file, readFileSync(file, "utf8"));
      expect(code).not.toMatch(new RegExp(`\\b${mark}|process\\.`));
    }
  });
});
