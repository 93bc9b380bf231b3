import { describe, expect, it } from "vitest";
import { en } from "./en.ts";
import { es } from "./es.ts";
import { formatsFor } from "./formats.ts";
import { messagesFor, spokenLanguage } from "./messages.ts";

const formats = (language: string, timezone = "UTC") =>
  formatsFor(language, "EUR", timezone, messagesFor(language));

describe("sentences", () => {
  it("are in the language of the application, or in English", () => {
    expect(
      ["es", "es-MX", "ES", "en-GB", "pt-BR", "__proto__"].map((tag) => messagesFor(tag)),
    ).toEqual([es, es, es, en, en, en]);
    expect(["es-MX", "en-GB", "pt-BR"].map(spokenLanguage)).toEqual(["es-MX", "en-GB", "en"]);
  });

  it("differ between languages, but for those that are no words", () => {
    const same = Object.keys(en).filter(
      (name) => typeof en[name as "menu"] === "string" && en[name as "menu"] === es[name as "menu"],
    );
    expect(same).toEqual(["no", "none"]);
  });

  it("of formulas differ between languages, each of them", () => {
    const told = (words: object) =>
      Object.values(words).map((say) =>
        typeof say === "function"
          ? String(say("a", "b", "c"))
          : typeof say === "string"
            ? say
            : Object.values(say as object).join(),
      );
    const [english, spanish] = [en.formulas, es.formulas].map((words) => {
      const { either: _, takesValues: __, ...rest } = words;
      return told(rest);
    });
    expect(spanish?.filter((sentence, at) => sentence === english?.[at])).toEqual([]);
    const counts = [en, es].map(({ formulas }) => formulas.takesValues("abs", { least: 1 }, 3));
    expect(counts).toEqual([
      "`abs` takes 1 or more values, and has 3",
      "`abs` toma 1 o más valores, y tiene 3",
    ]);
  });

  it("have the form that goes with a count", () => {
    expect([en.fieldsToLookAt(1, "1"), en.fieldsToLookAt(2, "2")]).toEqual([
      "1 field needs another look:",
      "2 fields need another look:",
    ]);
    expect([es.fieldsToLookAt(1, "1"), es.fieldsToLookAt(2, "2")]).toEqual([
      "Hay que revisar 1 campo:",
      "Hay que revisar 2 campos:",
    ]);
  });
});

describe("formats", () => {
  it("write nothing for nothing", () => {
    const { number, money, date, dateTime } = formats("en-GB");
    expect([number, money, date, dateTime].map((write) => write.call(formats("en"), null))).toEqual(
      ["", "", "", ""],
    );
  });

  it("follow the language and the time zone", () => {
    const english = formats("en-GB");
    expect([
      english.number(1234.5, "kg"),
      english.money(-3),
      english.date("2026-05-03"),
      english.count(1, "hive", "hives"),
      english.count(2000, "hive", "hives"),
      english.boolean(true),
    ]).toEqual(["1,234.5\u00a0kg", "-€3.00", "3 May 2026", "1 hive", "2,000 hives", "Yes"]);
    const spanish = formats("es", "America/Lima");
    expect([
      spanish.number(12345.5),
      spanish.date("2026-05-03"),
      spanish.dateTime("2026-05-03T02:00:00Z"),
      spanish.boolean(false),
    ]).toEqual(["12.345,5", "3 may 2026", expect.stringContaining("2 may 2026"), "No"]);
  });
});
