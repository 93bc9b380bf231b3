// A spreadsheet in, typed and linked rows out.
import { execFileSync } from "node:child_process";
import { closeSync, openSync, readdirSync, rmSync, writeSync } from "node:fs";
import { join } from "node:path";
import { bin, byTurns, inFolder, mostMemory, run } from "./measure.js";

const states = ["active", "weak", "queenless", "retired"];
const two = (number) => String(number).padStart(2, "0");
const day = (row) => `${2015 + (row % 10)}-${two(1 + (row % 12))}-${two(1 + (row % 28))}`;

const ten = "code,apiary,date,weight,status,email,notes,temperature,seen,price";
const tenOf = (row) =>
  `H-${String(row).padStart(7, "0")},Apiary ${row % 500},${day(row)},${(row % 600) / 10},${states[row % 4]},keeper${row % 2000}@example.org,"Quiet, calm ${row % 9973}",${(row % 400) / 10},${row % 3 ? "yes" : "no"},${(row % 900) / 100}`;

/** Writes a table as CSV, row by row. */
function writeTable(path, header, rows, rowOf) {
  const handle = openSync(path, "w");
  let text = `${header}\n`;
  for (let row = 0; row < rows; row++) {
    text += `${rowOf(row)}\n`;
    if (text.length > 1 << 20) {
      writeSync(handle, text);
      text = "";
    }
  }
  writeSync(handle, text);
  closeSync(handle);
}

/** Imports files into a new project, and loads their rows into its database. */
function importAndLoad(files, project) {
  rmSync(project, { recursive: true, force: true });
  run([bin, "import", ...files, "--project", project, "--yes"]);
  for (const command of ["prepare", "migrate"]) run([bin, command, "--project", project]);
  run([bin, "import", "--project", project, "--yes"]);
}

/** Imports a file with the sqlite3 shell, as text. */
function importAsText(file, database) {
  rmSync(database, { force: true });
  execFileSync("sqlite3", [database, ".mode csv", `.import ${file} rows`]);
}

/** The tables, or the indexes, of a table of a project's database. */
function definitions(project, type, table) {
  const query = `select sql || ';' from sqlite_schema where type = '${type}' and tbl_name = '${table}' and sql is not null`;
  return execFileSync("sqlite3", [join(project, "records.db"), query], { encoding: "utf8" });
}

/**
 * Fills the same tables with the sqlite3 shell alone: the same types, checks and references, and the same indexes, made once the
 * rows are in. That is what these rows cost whoever writes them.
 */
function importTyped({ hives, apiaries }, project, database) {
  rmSync(database, { force: true });
  const now = "'2026-05-03T07:00:00Z'";
  const script = `
    pragma journal_mode = off;
    pragma synchronous = off;
    pragma foreign_keys = on;
    begin;
    ${definitions(project, "table", "apiary")}
    ${definitions(project, "table", "hive")}
    create temp table apiary_text (name text, town text);
    create temp table hive_text (${ten
      .split(",")
      .map((column) => `${column} text`)
      .join(", ")});
.mode csv
.import --skip 1 --schema temp ${apiaries} apiary_text
.import --skip 1 --schema temp ${hives} hive_text
    insert into apiary (name, town, created_at, updated_at) select name, town, ${now}, ${now} from apiary_text;
    ${definitions(project, "index", "apiary")}
    insert into hive (code, apiary_id, date, weight, status, email, notes, temperature, seen, price, created_at, updated_at)
      select code, (select id from apiary where coalesce(name__order, lower(name)) = lower(apiary)), date, cast(weight as real),
        status, email, notes, cast(temperature as real), seen = 'yes', cast(price as real), ${now}, ${now} from hive_text;
    ${definitions(project, "index", "hive")}
    commit;`;
  execFileSync("sqlite3", ["-bail", database], {
    input: script,
    stdio: ["pipe", "ignore", "inherit"],
  });
}

export function sheet() {
  return inFolder(async (folder) => {
    const apiaries = join(folder, "apiaries.csv");
    const hives = join(folder, "hives.csv");
    const project = join(folder, "project");
    writeTable(apiaries, "name,town", 500, (row) => `Apiary ${row},Town ${row % 40}`);
    writeTable(hives, ten, 1000, tenOf);
    const [small, start] = await byTurns(
      5,
      () => {
        rmSync(project, { recursive: true, force: true });
        run([bin, "import", hives, apiaries, "--project", project, "--yes"]);
      },
      () => run(["-e", "0"]),
    );
    writeTable(hives, ten, 1_000_000, tenOf);
    const [own, against] = await byTurns(
      3,
      () => importAndLoad([hives, apiaries], project),
      () => importTyped({ hives, apiaries }, project, join(folder, "typed.db")),
    );
    rmSync(project, { recursive: true });
    const one = mostMemory([bin, "import", hives, apiaries, "--project", project, "--yes"]);
    writeTable(hives, ten, 3_000_000, tenOf);
    rmSync(project, { recursive: true });
    const three = mostMemory([bin, "import", hives, apiaries, "--project", project, "--yes"]);
    const memory = (rows, own) => ({
      what: `memory of importing ${rows} x 10 CSV`,
      reference: "450 MB",
      own,
      against: 450,
      unit: "MB",
      hold: "<= 1",
    });
    return [
      {
        what: "1,000,000 x 10 CSV, each row linked to one of 500: from file to rows in SQLite, four commands",
        reference:
          "the sqlite3 shell filling the same typed, checked tables, then making the same indexes",
        own,
        against,
        hold: "<= 2.5",
      },
      {
        what: "importing 1,000 x 10 CSV, without the start of Node",
        reference: "1.5 s",
        own: small - start,
        against: 1500,
        hold: "<= 1",
      },
      memory("1,000,000", one),
      memory("3,000,000", three),
    ];
  });
}

export function workbook() {
  return inFolder(async (folder) => {
    const table = join(folder, "hives.csv");
    writeTable(
      table,
      `${ten},frames,checked`,
      200_000,
      (row) => `${tenOf(row)},${row % 14},${day(row + 5)}`,
    );
    const office = (format, file, to) =>
      execFileSync("soffice", ["--headless", "--convert-to", format, "--outdir", to, file], {
        stdio: "ignore",
      });
    office("xlsx", table, folder);
    const book = join(folder, "hives.xlsx");
    const project = join(folder, "project");
    const text = join(folder, "text");
    const [own, against] = await byTurns(
      3,
      () => importAndLoad([book], project),
      () => {
        office("csv", book, text);
        importAsText(join(text, readdirSync(text)[0]), join(folder, "text.db"));
      },
    );
    rmSync(project, { recursive: true });
    const memory = mostMemory([bin, "import", book, "--project", project, "--yes"]);
    return [
      {
        what: "200,000 x 12 XLSX: from file to rows in SQLite, four commands",
        reference: "LibreOffice to CSV, then `sqlite3 .import`",
        own,
        against,
        hold: "<= 2.2",
      },
      {
        what: "memory of importing that",
        reference: "1 GB",
        own: memory,
        against: 1000,
        unit: "MB",
        hold: "<= 1",
      },
    ];
  });
}
