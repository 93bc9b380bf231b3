// A spreadsheet in, typed and linked rows out.
import { execFileSync } from "node:child_process";
import { closeSync, openSync, readdirSync, rmSync, writeSync } from "node:fs";
import { join } from "node:path";
import { bin, inFolder, mostMemory, run, timed } from "./measure.js";

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

function importAsText(file, database) {
  rmSync(database, { force: true });
  execFileSync("sqlite3", [database, ".mode csv", `.import ${file} rows`]);
}

export function sheet() {
  return inFolder(async (folder) => {
    const apiaries = join(folder, "apiaries.csv");
    const hives = join(folder, "hives.csv");
    const project = join(folder, "project");
    writeTable(apiaries, "name,town", 500, (row) => `Apiary ${row},Town ${row % 40}`);
    writeTable(hives, ten, 1_000_000, tenOf);
    const figures = { own: [], against: [] };
    for (let turn = 0; turn < 3; turn++) {
      figures.own.push(await timed(() => importAndLoad([hives, apiaries], project)));
      figures.against.push(await timed(() => importAsText(hives, join(folder, "text.db"))));
    }
    const middle = (times) => times.toSorted((a, b) => a - b)[1];
    const line = {
      what: "1,000,000 x 10 CSV, each row linked to one of 500: from file to rows in SQLite, four commands",
      reference: "`sqlite3 .import` of the same file, all text",
      own: middle(figures.own),
      against: middle(figures.against),
      hold: "<= 3",
    };
    rmSync(project, { recursive: true });
    const one = mostMemory([bin, "import", hives, apiaries, "--project", project, "--yes"]);
    writeTable(hives, ten, 3_000_000, tenOf);
    rmSync(project, { recursive: true });
    const three = mostMemory([bin, "import", hives, apiaries, "--project", project, "--yes"]);
    const memory = (rows, own) => ({
      what: `memory of importing ${rows} x 10 CSV`,
      reference: "800 MB",
      own,
      against: 800,
      unit: "MB",
      hold: "<= 1",
    });
    return [line, memory("1,000,000", one), memory("3,000,000", three)];
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
    const own = await timed(() => importAndLoad([book], project));
    const text = join(folder, "text");
    const against = await timed(() => {
      office("csv", book, text);
      importAsText(join(text, readdirSync(text)[0]), join(folder, "text.db"));
    });
    rmSync(project, { recursive: true });
    const memory = mostMemory([bin, "import", book, "--project", project, "--yes"]);
    return [
      {
        what: "200,000 x 12 XLSX: from file to rows in SQLite, four commands",
        reference: "LibreOffice to CSV, then `sqlite3 .import`",
        own,
        against,
        hold: "<= 1",
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
