import { describe, expect, it } from "vitest";
import { levadura, projectWith } from "./support/program.ts";

const long = "a_field_whose_name_is_as_long_as_names_of_fields_go".slice(0, 50);

function model(database: string, fields: string): string {
  return `levadura: 1\napp: {database: ${database}}\nentities:\n  HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere:\n    fields:\n      name: text, required, unique\n${fields}`;
}

const many = (type: string, count: number) =>
  Array.from({ length: count }, (_, at) => `      f${at}: ${type}\n`).join("");

describe("what a database can't have", () => {
  it.each([
    [
      "postgres",
      `      ${long}: many HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere\n`,
      /the name of the table `hive_of_the\S+_\S+` has 11\d bytes, and PostgreSQL takes 63/,
      "model.yaml:7:7",
    ],
    [
      "mariadb",
      `      ${long}: many HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere\n`,
      /has 11\d characters, and MariaDB takes 64/,
      "model.yaml:7:7",
    ],
    [
      "postgres",
      `      ${"ñ".repeat(40)}: text\n`,
      /the name of the column `ñ+` has 80 bytes/,
      "model.yaml:7:7",
    ],
    [
      "postgres",
      "      page: url\n    unique: [[name, page]]\n",
      /an index holds 2,704 bytes, which name and page of/,
      "model.yaml:6:7",
    ],
    [
      "mariadb",
      many("text ..60", 34),
      /bytes on its page, and MariaDB takes 8,125/,
      "model.yaml:4:3",
    ],
    ["mariadb", many("text ..700", 24), /a row of \S+ takes 6\d,\d+ bytes/, "model.yaml:4:3"],
    ["mariadb", many("integer", 1100), /1105 columns, and MariaDB takes 1017/, "model.yaml:4:3"],
  ])("is said of the model, for %s at its place", async (database, fields, message, place) => {
    const folder = projectWith(model(database, fields));
    for (const command of fields.includes("url") ? ["check", "prepare"] : ["check"]) {
      const { status, err } = await levadura([command], folder);
      expect(status).toBe(1);
      expect(err).toMatch(message);
      expect(err).toContain(place);
    }
    const other = database === "mariadb" && !fields.includes("many") ? "postgres" : "sqlite";
    const free = projectWith(model(other, fields));
    expect((await levadura(["check"], free)).status).toBe(0);
  });
});
