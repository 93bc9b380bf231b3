import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { usualAmounts } from "./amounts.ts";
import { isRest, natureOf, rankOf, subjectOf } from "./meaning.ts";

/** An entity with fields, each on a line of its own. */
function entityOf(name: string, ...fields: string[]) {
  const others = "  Other: {fields: {x: text}}\n";
  const lines = fields.map((field) => `      ${field}\n`).join("");
  const { model, diagnostics } = readModel(
    `levadura: 1\nentities:\n${others}  ${name}:\n    fields:\n${lines}`,
  );
  const entity = model?.entities[1];
  if (!entity) throw new Error(JSON.stringify(diagnostics));
  return entity;
}

function fieldOf(line: string) {
  const [field] = entityOf("Hive", line).fields;
  if (!field) throw new Error(line);
  return field;
}

describe("what names mean", () => {
  it.each([
    ["Keeper", ["name: text"], "person"],
    ["GameKeeper", ["name: text"], "person"],
    ["Apicultora", ["nombre: text"], "person"],
    ["Apiary", ["name: text"], "place"],
    ["Colmenar", ["nombre: text"], "place"],
    ["Jardín", ["nombre: text"], "place"],
    ["Inspection", ["other: one Other, required", "date: date"], "event"],
    ["Call", ["other: part of Other", "begun: datetime"], "event"],
    ["Hive", ["other: one Other, required", "installed: date"], "thing"],
    ["Hive", ["date: date"], "thing"],
    ["Housekeeping", ["name: text"], "thing"],
  ])("of the entity %s with %j is a %s", (name, fields, nature) => {
    expect(natureOf(entityOf(name, ...fields))).toBe(nature);
  });

  it.each([
    ["code: text", "code"],
    ["license_plate: text", "code"],
    ["matricula: text", "code"],
    ["first_name: text", "given name"],
    ["apellidos: text", "family name"],
    ["x: text, label Surname", "family name"],
    ["name: text", "name"],
    ["owner: text", "full name"],
    ["owner_name: text", "full name"],
    ["checked_by: text", "full name"],
    ["hecha_por: text", "full name"],
    ["home_town: text", "town"],
    ["dirección: text", "street"],
    ["postal_code: text", "postcode"],
    ["user_name: text", "account"],
    ["colour: text", "color"],
    ["observaciones: text", "note"],
    ["provincia: text", "region"],
    ["languages: text", "language"],
    ["maker_company: text", "organisation"],
    ["storage_box: text", "compartment"],
    ["reason: text", "phrase"],
    ["townhall_key: text", "kind"],
    ["townhall_key: text, unique", "code"],
  ])("of the text %s is a %s", (line, subject) => {
    expect(subjectOf(entityOf("Hive", line), fieldOf(line))).toBe(subject);
  });

  it.each([
    ["born: date", "birth"],
    ["fecha_de_nacimiento: date", "birth"],
    ["bought: date", "acquired"],
    ["received_on: date", "delivered"],
    ["installed: date", "begun"],
    ["since: date", "begun"],
    ["date: date", "happened"],
    ["discovered: date", "begun"],
    ["registered_at: datetime", "recorded"],
    ["removed: date", "ended"],
    ["x: date, label Returned", "ended"],
    ["return_by: date", "due"],
    ["vencimiento: date", "due"],
  ])("of the day %s is %s", (line, rank) => {
    expect(rankOf(fieldOf(line))).toBe(rank);
  });

  it("gives suppliers the names of firms, and hives none", () => {
    const subject = (entity: string) => {
      const made = entityOf(entity, "name: text");
      return made.fields[0] && subjectOf(made, made.fields[0]);
    };
    expect(["Supplier", "Empresa", "Hive"].map(subject)).toEqual([
      "organisation",
      "organisation",
      "name",
    ]);
  });

  it("knows where some numbers lie, and leaves others alone", () => {
    expect(usualAmounts(fieldOf("depth: decimal, unit m"), 2026)).toEqual([0.5, 12]);
    expect(usualAmounts(fieldOf("depth: decimal, unit cm"), 2026)).toEqual([1, 200]);
    expect(usualAmounts(fieldOf("reading: decimal, unit hPa"), 2026)).toEqual([985, 1035]);
    expect(usualAmounts(fieldOf("built_year: integer"), 2026)).toEqual([2016, 2026]);
    expect(usualAmounts(fieldOf("temperatura: decimal"), 2026)).toEqual([-5, 35]);
    expect(usualAmounts(fieldOf("x: decimal, label Altitude"), 2026)).toEqual([50, 1500]);
    expect(usualAmounts(fieldOf("score: integer"), 2026)).toBeUndefined();
  });

  it("tells choices that say that nothing fits", () => {
    for (const choice of ["other", "Unknown", "none", "N/A", "otro", "sin datos", "ninguna"])
      expect(isRest(choice), choice).toBe(true);
    for (const choice of ["mother", "nonetheless", "active", "single"])
      expect(isRest(choice), choice).toBe(false);
  });
});
