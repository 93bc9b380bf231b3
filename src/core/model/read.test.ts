import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { runs } from "../../../test/support/runs.ts";
import { Places, pointOut } from "./diagnostics.ts";
import type { Field } from "./model.ts";
import { readModel } from "./read.ts";

const start = "levadura: 1\nentities:\n";

/** A model of one entity with these lines as its fields. */
const hive = (fields: string, rest = "") =>
  `${start}  Hive:\n    fields:\n${fields.replace(/^/gm, "      ")}\n${rest}`;

/** The errors of a text, as `line:column message (help)`. */
function complaints(text: string, severity = "error"): string[] {
  const places = new Places(text);
  return readModel(text)
    .diagnostics.filter((diagnostic) => diagnostic.severity === severity)
    .map((diagnostic) => {
      const { where, message, help } = pointOut("", places, diagnostic);
      return `${where.slice(1)} ${message}${help ? ` (${help})` : ""}`;
    });
}

function field(definition: string, name = "x"): Field {
  const text = hive(
    `${name}: ${definition}`,
    "  Apiary:\n    fields:\n      name: text, required\n",
  );
  const found = readModel(text).model?.entities[0]?.fields[0];
  if (!found) throw new Error(complaints(text).join("\n"));
  return found;
}

describe("a field's definition", () => {
  it.each([
    [
      "text 2..60, required, unique",
      { type: { kind: "text", min: 2, max: 60 }, required: true, unique: true },
    ],
    ["long text ..400", { type: { kind: "long text", max: 400 } }],
    ["integer -5..5, unit °C", { type: { kind: "integer", min: -5, max: 5 }, unit: "°C" }],
    ["decimal 0.5..1, places 3", { type: { kind: "decimal", places: 3, min: 0.5, max: 1 } }],
    [
      "money 0.., default 12.50",
      { type: { kind: "money", places: 2, min: 0 }, default: { value: 12.5 } },
    ],
    [
      "boolean, default yes",
      { type: { kind: "boolean" }, required: true, default: { value: true } },
    ],
    [
      "date 2020-01-01..today, default today",
      { type: { kind: "date", min: "2020-01-01", max: "today" }, default: { moment: "today" } },
    ],
    ["datetime, default now", { type: { kind: "datetime" }, default: { moment: "now" } }],
    [
      "choice active | weak | 'in use, or lent'",
      { type: { kind: "choice", choices: ["active", "weak", "in use, or lent"] } },
    ],
    [
      "choice active | gone was retired | 'it was so'",
      {
        type: {
          kind: "choice",
          choices: ["active", "gone", "it was so"],
          formerly: { gone: "retired" },
        },
      },
    ],
    [
      "{type: choice, choices: [active, gone was retired, 'it was so']}",
      {
        type: {
          kind: "choice",
          choices: ["active", "gone", "it was so"],
          formerly: { gone: "retired" },
        },
      },
    ],
    ["date, required, fill today", { required: true, fill: { moment: "today" } }],
    ["one Apiary, required, fill East", { required: true, fill: { value: "East" } }],
    ["text, was Apiary.town", { was: "Apiary.town" }],
    ["one Apiary, required", { type: { kind: "one", entity: "Apiary" }, required: true }],
    ["many Apiary", { type: { kind: "many", entity: "Apiary" } }],
    ["part of Apiary", { type: { kind: "part of", entity: "Apiary" }, required: true }],
    ["text, default 007, hint It's 5\" wide", { default: { value: "007" }, hint: "It's 5\" wide" }],
    ["text, default ~", { default: { value: "~" } }],
    ["text, default yes", { default: { value: "yes" } }],
    ["text, label Yes, placeholder 1e3", { label: "Yes", placeholder: "1e3" }],
    ['"= weight * price"', { type: { kind: "formula", formula: "= weight * price" } }],
  ])("reads %s", (definition, expected) => {
    expect(field(definition)).toMatchObject(expected);
  });

  it.each([
    [
      "text 2..60, required, hint Two words",
      "{type: text, min: 2, max: 60, required: yes, hint: Two words}",
    ],
    ["choice a | 1 | yes, default yes", "{type: choice, choices: [a, 1, yes], default: yes}"],
    ["boolean, default no", "{type: boolean, default: no}"],
    ["one Apiary, unique", "{type: one, entity: Apiary, unique: true}"],
    [
      "decimal ..1, places 4, unit kg",
      "{type: decimal, max: 1, places: 4, unit: kg, required: false}",
    ],
  ])("means the same in short and long: %s", (short, long) => {
    expect({ ...field(long), at: 0 }).toEqual({ ...field(short), at: 0 });
  });

  it.each([
    ["kind", "text"],
    ["email", "email"],
    ["opened", "date"],
    ["apiary", "one"],
    ["brood_frames", "integer"],
    ["notes", "long text"],
  ])("is guessed from the name %s when there is none", (name, kind) => {
    expect(field("", name).type.kind).toBe(kind);
    expect(complaints(hive(`${name}:`, "  Apiary: {fields: {name: text}}"), "note")[0]).toContain(
      "is taken for",
    );
  });
});

describe("a mistake", () => {
  it.each([
    ["x: txet", "5:10 there is no type `txet` (did you mean `text`?)"],
    ["x: text, requird", "5:16 there is no option `requird` (did you mean `required`?)"],
    ["x: one Apairy", "5:14 there is no entity `Apairy` (declare it under `entities`)"],
    ["x: one Hvie", "5:14 there is no entity `Hvie` (did you mean `Hive`?)"],
    [
      "x: hive",
      "5:10 there is no type `hive` (for a relationship, write `one Hive` or `many Hive`)",
    ],
    ["x: text 60", "5:15 `60` is not a range (write ..60 for at most, 60.. for at least)"],
    ["x: text required", '5:15 a comma is missing before `required` (write ", required")'],
    ["x: decimal .5..1", "5:18 `.5` lacks the digit before the point (write 0.5)"],
    ["x: integer 9..1", "5:18 the range ends before it begins (write 1..9)"],
    ["x: integer 1..2, default 5", "5:32 the default `5` lies outside the range 1..2"],
    [
      "x: choice a | b, default c",
      "5:32 the default `c` is not among the choices (the choices are a, b)",
    ],
    ["x: boolean 1..2", "5:18 a `boolean` takes no range"],
    ["x: text, unit kg", "5:21 `unit` can't be combined with a `text`"],
    ["x: text,, required", "5:14 there is nothing between these commas (take one comma out)"],
    [
      "version: text",
      "5:7 the field name `version` is one that every entity has by itself (choose another name, or leave it out: it is there already)",
    ],
    [
      "Code: text",
      "5:7 the field name `Code` is not in small letters, digits and single underscores (write code)",
    ],
    [
      "a\uffa0: text",
      "5:7 the field name `a\uffa0` is not in small letters, digits and single underscores (write a)",
    ],
    ["x: text\nx: integer", "6:7 the field `x` appears here twice (rename one, or take one out)"],
    [
      "a: text\na_id: integer\na1: text\na_1: text",
      "8:7 `a_1` and `a1` would have the same field, `a1` (rename one of them)",
    ],
    [
      "x: one Hive, required",
      "5:7 `Hive` → `Hive`: each requires the next, so the first record could never be made (take `required` from one of these fields, or turn `part of` into `one`)",
    ],
    ["x: &a text", "5:10 an anchor, &a (take it out: models have no anchors)"],
    ["x: {typ: text}", "5:11 `typ` is not known here (did you mean `type`?)"],
    ["x: {type: text, required: perhaps}", "5:33 expected yes or no here"],
    [
      "x: text, hint Say: this",
      "5:10 there is a second `: ` in this line (put the text in quotes when a colon belongs to it)",
    ],
    [
      'x: text, hint "Count #3"',
      "5:21 this quote is never closed (close it; where a `#` follows, put the whole line in quotes)",
    ],
  ])("in %s is pointed at", (fields, expected) => {
    expect(complaints(hive(fields))).toContain(expected);
  });

  it.each([
    ["", "1:1 the file is empty"],
    ["# nothing\n", "1:1 the file is empty"],
    [
      "levadura: 1\nentities:\n\tHive:\n",
      "this line is indented with a tab (use spaces: two for each level)",
    ],
    [
      "levadura: 2\nentities: {A: {fields: {x: text}}}",
      "1:11 expected 1, the version of the language here",
    ],
    ["entities: {A: {fields: {x: text}}}", "the version of the language is missing"],
    ["levadura: 1\n", "the model has no entities"],
    ["levadura: 1\nentities:\n  Hive:\n", "`Hive` has no fields"],
    ["\u0000\u0001PK", "this is not a text file in UTF-8"],
    [`levadura: 1\n#${"x".repeat(2_000_000)}`, "a model may have 2 million"],
    ["- a\n- b", "the file is a list of names with something behind each"],
    [`${start}  hive: {fields: {x: text}}`, "doesn't begin with a capital (write Hive)"],
    [
      `${start}  Peña: {fields: {x: text}}\n  Pena: {fields: {x: text}}`,
      "would have the same file, `pena`",
    ],
    [
      `${start}  A: {fields: {b_c: many A}}\n  AB_C: {fields: {x: text}}`,
      "has other characters than letters and digits",
    ],
    [
      `${start}  A: {fields: {bs: many A}}\n  ABs: {fields: {x: text}}`,
      "would have the same table, `a_bs`",
    ],
    [
      `${start}  A: {title: "{b}", fields: {b: one B}}\n  B: {title: "{a}", fields: {a: one A}}`,
      "each is called by the next",
    ],
    [
      `${start}  Serie: {plural: Rows, fields: {x: text}}\n  Series: {fields: {x: text}}`,
      "would have the same function in the code, `listSeries`",
    ],
    [`levadura: 1\nentities: ${"[".repeat(50_000)}`, "nested or chained too deeply"],
    [`${start}  A: {fields: {x: text}}\n---\nlevadura: 1`, "a second document begins here"],
    [`${start}  A: {fields: {x: !secret text}}`, "a tag"],
    [`${start}  A: {<<: {fields: {x: text}}}`, "a merge key, <<"],
    [`${start}  A: {fields: {? [x] : text}}`, "a name was expected here"],
    ["levadura: 1\nentities: [A, B]", "`entities` is a list of names with something behind each"],
    ["levadura: 1\nentities: {}", "the model has no entities"],
    [
      "levadura: 1\napp: {colour: red}\nentities: {A: {fields: {x: text}}}",
      "`colour` is not known here",
    ],
    [
      "levadura: 1\napp: {currency: GOLD}\nentities: {A: {fields: {x: text}}}",
      "there is no currency `GOLD`",
    ],
    [
      "levadura: 1\napp: {database: oracle}\nentities: {A: {fields: {x: text}}}",
      "expected sqlite, postgres, mariadb here",
    ],
    [`${start}  SqliteThing: {fields: {x: text}}`, "a word that is kept for the database itself"],
    [`${start}  Con: {fields: {x: text}}`, "can't be the name of a file on every system"],
    [`${start}  A: {fields: {__proto__: text}}`, "is not in small letters"],
    [`${start}  A: {fields: {then: text}}`, "look like promises"],
    [`${start}  A: {fields: {${"x".repeat(51)}: text}}`, "is longer than 50 characters"],
    [`${start}  A: {fields: {x: [a, b]}}`, "a definition was expected"],
    [`${start}  A: {plural: "…", fields: {x: text}}`, "has no letters for an address"],
    [`${start}  A: {fields: {}}`, "`A` has no fields"],
    [
      "levadura: 1\napp: {timezone: Mars/Base}\nentities: {A: {fields: {x: text}}}",
      "there is no timezone `Mars/Base`",
    ],
    ["levadura: 1\nentities: {A: {fields: {x: *b}}}", "alias"],
  ])("in the file as a whole is said", (text, expected) => {
    expect(complaints(text).join("\n")).toContain(expected);
  });

  it.each([
    ["title: {x}", "a title with `{field}` in it has to be in quotes"],
    ['title: "{y}"', "6:14 `Hive` has no field `y`"],
    ["columns: [x, z]", "6:18 `Hive` has no field `z`"],
    ["columns: [x, x]", "6:18 `x` appears here twice"],
    ["sort: x downward", "`x downward` is no order"],
    ["sections: [{One: [w]}]", "`Hive` has no field `w`"],
    ["unique: [x]", "one field alone needs no group"],
  ])("in how an entity is shown: %s", (line, expected) => {
    expect(complaints(hive("x: text", `    ${line}`)).join("\n")).toContain(expected);
  });

  it.each([
    ["x: text, hint", "`hint` needs a text behind it"],
    ["x: text, unique yes", "`unique` takes no value"],
    ["x: text, label A, label B", "`label` appears here twice"],
    ["x: text, 2..60", "the range follows a comma"],
    ["x: text .., required", "a range without bounds"],
    ["x: text 1..2 3..4", "a second range"],
    ["x: choice", "`choice` needs its values"],
    ["x: choice a | A", "the choice `A` appears here twice"],
    ["x: choice a || b", "a value is missing beside this |"],
    ["x: many", "`many` needs an entity behind it"],
    ["x: one Hive Hive", "`Hive` after the entity"],
    ["x: text | long", "a | where the type was expected"],
    ["x: decimal, places 99", "`places` is a whole number up to 10"],
    ["x: decimal ..1234567890123456", "at most 15 digits in all"],
    ["x: integer 1.5..2", "a whole number was expected"],
    ["x: date 2023-02-29..", "`2023-02-29` can't be a bound here"],
    ["x: date, default tomorrow", "the default `tomorrow` is not a date"],
    ["x: datetime, default today", "the default `today` is not a moment"],
    ["x: time, default 25:00", "the default `25:00` is not a time"],
    ["x: boolean, default maybe", "is neither yes nor no"],
    ["x: text ..3, default four", "has 4 characters, outside the range ..3"],
    ["x: text ..9999", "a text has 4000 characters at most"],
    ["x: part of Hive, required", "it is always required"],
    ["x: {type: choice}", "`choice` needs its values"],
    ["x: {type: text, choices: [a]}", "a `text` has no choices"],
    ["x: {choices: [a]}", "`choices` without `type: choice`"],
    ["x: {type: text, entity: Hive}", "refers to no entity"],
    ["x: {type: text, min: few}", "`few` can't be a bound here"],
    ["x: {type: text, label: }", "`label` has nothing behind it"],
    ["x: {type: text, hint: [a]}", "expected a text"],
  ])("in %s is named", (fields, expected) => {
    const said = readModel(hive(fields)).diagnostics.map(
      ({ message, help }) => `${message} (${help})`,
    );
    expect(said.join("\n")).toContain(expected);
  });

  it("is found in files with a mark at their beginning, or with line ends of another system", () => {
    const text = hive("code: text # painted\nweight: decimall");
    for (const other of [`\ufeff${text}`, text.replaceAll("\n", "\r\n")]) {
      expect(complaints(other)).toEqual([
        "6:15 there is no type `decimall` (did you mean `decimal`?)",
      ]);
    }
    expect(readModel(hive("code: text, hint Hive #3")).diagnostics).toMatchObject([
      { severity: "note", message: "everything behind ` #` is taken for a remark" },
    ]);
  });

  it("is told together with all the others", () => {
    expect(
      complaints(hive("a: txet\nb: one Nowhere\nc: integer 1..0", "    columns: [d]")),
    ).toHaveLength(4);
  });

  it("of a required field that no section asks for is noticed", () => {
    const text = hive("x: text, required\ny: text", "    sections:\n      - One: [y]");
    expect(complaints(text)[0]).toContain("the required field `x` is in no section of this form");
  });

  it("of two entities that both were the same one is noticed", () => {
    const entity = (name: string) => `  ${name}: {was: Hive, fields: {code: text}}\n`;
    expect(complaints(`levadura: 1\nentities:\n${entity("Colony")}${entity("Box")}`)).toEqual([
      "4:3 `Colony` and `Box` both were `Hive` (its records move along once: take `was` out of the one that is new)",
    ]);
  });

  it("shows a long line around its place", () => {
    const text = hive(`x: text, hint ${"long ".repeat(60)}, requird`);
    const [diagnostic] = readModel(text).diagnostics;
    if (!diagnostic) throw new Error("no diagnostic");
    const { line, marker } = pointOut("m", new Places(text), diagnostic);
    expect(line.length).toBeLessThanOrEqual(100);
    expect(line.slice(marker.indexOf("^"))).toMatch(/^requird/);
  });
});

describe("any text", () => {
  const words = [
    "levadura: 1",
    "entities:",
    "  Hive:",
    "    fields:",
    "      x: text",
    "title: {x}",
    "- a",
    "\t",
    "&a",
    "*a",
    "<<:",
    "!!int",
    "'",
    '"',
    "#",
    "|",
    "..",
    "__proto__: text",
    "constructor:",
    "{",
    "}",
    ",",
    "~",
    "null",
    "\u0000",
    "é",
    "🐝",
  ];
  it("ends in a model or in errors, and never throws", () => {
    fc.assert(
      fc.property(
        fc.array(fc.oneof(fc.constantFrom(...words), fc.string({ maxLength: 8 })), {
          maxLength: 14,
        }),
        fc.constantFrom("\n", " ", "\n      "),
        (parts, between) => {
          const { model, diagnostics } = readModel(parts.join(between));
          expect(
            model !== undefined || diagnostics.some(({ severity }) => severity === "error"),
          ).toBe(true);
        },
      ),
      runs(1500),
    );
  });
});

describe("labels in other languages", () => {
  const labelled = (lines: string) => `levadura: 1
entities:
  Hive:
    fields: {code: "text, required, hint Painted on it", status: choice active | weak}
    sections: [Its place: [code], Its state: [status]]
    rules: [A code is short: "= length(code) < 9"]
labels:
${lines}
`;

  it("are those of entities, fields and choices", () => {
    const { model } = readModel(
      labelled('  es: {Hive: Colmena | Colmenas, Hive.code: Código, "Hive.status.weak": Débil}'),
    );
    const [hive] = model?.entities ?? [];
    expect([hive?.labels, hive?.plurals]).toEqual([{ es: "Colmena" }, { es: "Colmenas" }]);
    expect(hive?.fields.map(({ labels }) => labels)).toEqual([{ es: "Código" }, undefined]);
    expect(hive?.fields[1]?.choiceLabels).toEqual({ weak: { es: "Débil" } });
  });

  it("are those of sections, rules and hints", () => {
    const { model } = readModel(
      labelled(
        "  es: {Hive section Its place: Lugar, Hive rule A code is short: Corto, Hive.code hint: Ahí}",
      ),
    );
    const [hive] = model?.entities ?? [];
    expect(hive?.sections.map(({ titles }) => titles)).toEqual([{ es: "Lugar" }, undefined]);
    expect(hive?.rules[0]?.sentences).toEqual({ es: "Corto" });
    expect(hive?.fields[0]?.translations).toEqual({ hint: { es: "Ahí" } });
  });

  it.each([
    ["  es: {Hiv: x}", "8:8 there is no entity `Hiv` (did you mean `Hive`?)"],
    ["  es: {Hive.cod: x}", "8:8 `Hive` has no field `cod` (did you mean `code`?)"],
    [
      "  es: {Hive.status.week: x}",
      "8:8 `Hive.status` has no choice `week` (did you mean `weak`?)",
    ],
    ["  es: {Hive.code.x: x}", "8:8 `Hive.code` has no choice `x` (it has none)"],
    [
      "  es: {Hive section Its stat: x}",
      "8:8 `Hive` has no section `Its stat` (did you mean `Its state`?)",
    ],
    [
      "  es: {Hive rule A code is shirt: x}",
      "8:8 `Hive` has no rule `A code is shirt` (did you mean `A code is short`?)",
    ],
    ["  es: {Hive.status hint: x}", "8:8 `Hive.status` has no hint to translate (it has none)"],
    ["  es: {Hive.code hnt: x}", "8:8 `Hive.code` has no hnt to translate (did you mean `hint`?)"],
    [
      "  Spanish language: {Hive: x}",
      "8:3 there is no language `Spanish language` (write it as es or pt-BR)",
    ],
    ["  es: {Hive: [x]}", "8:14 a label was expected (write it behind the name)"],
    ["  es: {Hive: x, Hive: y}", expect.stringMatching(/appears here twice|twice/)],
  ])("that make no sense are errors: %s", (lines, expected) => {
    expect(complaints(labelled(lines))).toContainEqual(expected);
  });
});
