import Driver from "libsql";
import { wordsIndexName } from "../../../core/schema/from-model.ts";
import type { Schema } from "../../../core/schema/schema.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { wordsTable, wordsTriggerNames } from "../../../core/sql/sqlite/words.ts";
import type { Catalogue, CatalogueTable } from "../engine.ts";

/** The tables of a SQLite database, but for those in which the tool remembers things. */
export function readCatalogue(driver: Driver.Database): Catalogue {
  const entries = driver
    .prepare(
      "select type, name, tbl_name, sql from sqlite_schema where sql is not null and name not like 'sqlite%' and tbl_name not like 'levadura%'",
    )
    .all() as { type: string; name: string; tbl_name: string; sql: string }[];
  const catalogue: Catalogue = new Map();
  for (const { type, name, sql } of entries) {
    if (type === "table") catalogue.set(name, tableFrom(sql));
  }
  for (const { type, name, tbl_name, sql } of entries) {
    if (type === "index") catalogue.get(tbl_name)?.indexes.set(name, tidy(sql));
  }
  const there = new Set(entries.map(({ name }) => name));
  for (const [table, { indexes }] of catalogue) {
    const index = wordsIndexName(table);
    const [made] = driver
      .prepare("select sql from sqlite_schema where name = ?")
      .all(wordsTable(index)) as { sql: string }[];
    if (made && wordsTriggerNames(index).every((trigger) => there.has(trigger))) {
      indexes.set(index, tidy(made.sql));
    }
  }
  return catalogue;
}

/** What the catalogue of a schema would be, found out by making its tables in memory. */
export function catalogueOf(schema: Schema): Catalogue {
  const driver = new Driver(":memory:");
  try {
    const steps = schema.tables.map((table) => ({ kind: "add table" as const, table }));
    for (const { parts } of sqlite.sections(steps, { tables: [] })) {
      for (const part of parts) if (part.kind === "run") driver.exec(part.sql);
    }
    return readCatalogue(driver);
  } finally {
    driver.close();
  }
}

/** The columns of a table, as its own statement defines them; SQLite keeps that text up to date. */
function tableFrom(sql: string): CatalogueTable {
  const columns = new Map<string, string>();
  for (const definition of definitions(sql)) {
    const named =
      /^(constraint (?:"(?:[^"]|"")*")|"(?:[^"]|"")*"|`[^`]*`|\[[^\]]*\]|[^\s(]+)\s*(.*)$/s.exec(
        definition,
      );
    const name = (named?.[1] ?? definition).replace(/^["`[]|["`\]]$/g, "").replaceAll('""', '"');
    columns.set(name, tidy(named?.[2] ?? ""));
  }
  return { columns, indexes: new Map() };
}

function tidy(sql: string): string {
  return sql.replace(/\s+/g, " ").trim();
}

/** The parts between the outer parentheses of a statement, at its commas. */
function definitions(sql: string): string[] {
  const parts: string[] = [];
  let depth = 0;
  let part = "";
  for (const [token] of sql.matchAll(/'(?:[^']|'')*'|"(?:[^"]|"")*"|[\s\S]/g)) {
    if (token === ")") depth--;
    if (depth === 0 || (depth === 1 && token === ",")) {
      if (depth === 1) parts.push(part);
      else if (token === ")") return [...parts, part].map((each) => each.trim());
      part = "";
    } else part += token;
    if (token === "(") depth++;
  }
  return parts;
}
