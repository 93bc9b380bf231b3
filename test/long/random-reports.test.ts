import { describe, expect, it } from "vitest";
import { periods } from "../../kit/formula/periods.ts";
import { toLocal } from "../../kit/formula/zones.ts";
import { kinds, projectOn } from "../support/kinds.ts";
import { Chance } from "../support/pairs.ts";
import { running } from "../support/program.ts";
import { type Dimension, expectReport, periodText, type Values } from "../support/report-page.ts";
import { Visitor } from "../support/visitor.ts";

/** How many random models are tried, and how many reports of each. */
const models = Number(process.env.REPORT_MODELS ?? 10);
const reports = 25;

type Row = Record<string, unknown>;

/** A kind of field, with what it can be grouped by and what its numbers are. */
interface Kind {
  definition: string;
  dimensions(name: string, zone: string): Dimension<Row>[];
  isNumber?: true;
}

const text = (row: Row, name: string) =>
  row[name] === null || row[name] === undefined ? null : String(row[name]);
const number = (row: Row, name: string) =>
  row[name] === null || row[name] === undefined ? null : Number(row[name]);
const capital = (word: string | null) => word && `${word[0]?.toUpperCase()}${word.slice(1)}`;

const kindsOfFields: readonly Kind[] = [
  {
    definition: "integer -20..90",
    dimensions: (name) => [[name, (row) => number(row, name)]],
    isNumber: true,
  },
  { definition: "decimal 0..400, places 2", dimensions: () => [], isNumber: true },
  { definition: "money 0..90", dimensions: () => [], isNumber: true },
  { definition: "percent 0..100, places 1", dimensions: () => [], isNumber: true },
  {
    definition: "boolean",
    dimensions: (name) => [
      [name, (row) => (Number(row[name]) === 1 || row[name] === true ? "Yes" : "No")],
    ],
  },
  {
    definition: "choice blossom | forest | heather | mixed",
    dimensions: (name) => [[name, (row) => capital(text(row, name))]],
  },
  {
    definition: "date 2023-01-01..2026-11-30",
    dimensions: (name) =>
      periods.map(
        (per): Dimension<Row> => [
          `${name}:${per}`,
          (row) => {
            const day = text(row, name)?.slice(0, 10);
            return day ? periodText(per, day) : null;
          },
        ],
      ),
  },
  {
    definition: "datetime",
    dimensions: (name, zone) =>
      periods.map(
        (per): Dimension<Row> => [
          `${name}:${per}`,
          (row) => {
            const moment = text(row, name)
              ?.replace(" ", "T")
              .replace(/(?<=:\d\d)$/, "Z");
            return moment ? periodText(per, toLocal(zone, moment).slice(0, 10)) : null;
          },
        ],
      ),
  },
];

const names = ["amount", "level", "tag", "grade", "flag", "seen", "spent", "kind", "state", "part"];
const zones = ["UTC", "Europe/Madrid", "America/St_Johns", "Pacific/Auckland"];

/** A model with a chain of entities, whose last one has random fields; and how its rows are told of. */
function randomModel(chance: Chance) {
  const zone = zones[chance.below(zones.length)] as string;
  const fields = names.slice(0, 3 + chance.below(6)).map((name) => {
    const kind = kindsOfFields[chance.below(kindsOfFields.length)] as Kind;
    const required = chance.below(3) === 0 && kind.definition !== "boolean";
    return { name, kind, line: `      ${name}: ${kind.definition}${required ? ", required" : ""}` };
  });
  const numbers = fields.filter(({ kind }) => kind.isNumber).map(({ name }) => name);
  const needed = chance.below(2) === 0 ? ", required" : "";
  const model = `levadura: 1
app: {name: Reports, database: sqlite, timezone: ${zone}}
entities:
  Place:
    title: "{name}"
    fields: {name: "text, required, unique", height: integer 0..900}
    seed: 4
  Nest:
    title: "{code}"
    fields: {code: "text ..20, required, unique", place: one Place}
    seed: 9
  Entry:
    fields:
      nest: one Nest${needed}
${fields.map(({ line }) => line).join("\n")}
    seed: 120
`;
  const dimensions: Dimension<Row>[] = [
    ["nest", (row) => text(row, "nest_code")],
    ["nest.place", (row) => text(row, "place_name")],
    ["nest.place.name", (row) => text(row, "place_name")],
    ...fields.flatMap(({ name, kind }) => kind.dimensions(name, zone)),
  ];
  const values: Values<Row> = {
    "nest.place.height": (row) => number(row, "height"),
    ...Object.fromEntries(numbers.map((name) => [name, (row: Row) => number(row, name)])),
    ...Object.fromEntries(
      numbers.map((name) => [
        `if(${name} is empty, 0, ${name} * 2 + 1)`,
        (row: Row) => {
          const value = number(row, name);
          return value === null ? 0 : value * 2 + 1;
        },
      ]),
    ),
  };
  return { model, dimensions, values };
}

describe.each(kinds)("random reports over $kind", (kind) => {
  it.each(Array.from({ length: models }, (_, at) => at))(
    "of the random model %i give what a plain evaluation gives",
    async (seed) => {
      const chance = new Chance(seed + 100);
      const { model, dimensions, values } = randomModel(chance);
      const project = projectOn(kind, model);
      const app = await running(["rise"], project.folder);
      try {
        const visitor = new Visitor(app.address);
        const rows = await project.rows<Row>(
          "select entry.*, nest.code as nest_code, place.name as place_name, place.height from entry left join nest on nest.id = nest_id left join place on place.id = place_id",
        );
        expect(rows.length).toBe(120);
        const pick = <Value>(of: readonly Value[]) => of[chance.below(of.length)] as Value;
        for (let round = 0; round < reports; round++) {
          const by = Array.from({ length: chance.below(4) }, () => pick(dimensions));
          const across = chance.below(2) === 0 ? pick(dimensions) : undefined;
          const shows = Array.from({ length: 1 + chance.below(4) }, () => {
            const figure = pick(["count", "sum", "average", "smallest", "largest"]);
            return figure === "count" ? figure : `${figure}:${pick(Object.keys(values))}`;
          });
          const query = new URLSearchParams([
            ["layout", "report"],
            ...by.map(([formula]): [string, string] => ["by", formula]),
            ...shows.map((show): [string, string] => ["show", show]),
            ...(across ? [["across", across[0]] as [string, string]] : []),
          ]);
          const { html } = await visitor.get(`/entries?${query}`);
          expectReport(`${seed}: ${query}`, html, rows, { by, across, shows, values });
        }
      } finally {
        await app.stop();
        await project.remove();
      }
    },
    60_000,
  );
});
