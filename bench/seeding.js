// A million sample rows over the eight entities of the demo, against inserting the same rows when they are ready.
import { once } from "node:events";
import { copyFileSync, createWriteStream, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { bin, inFolder, median, mostMemory, root, run, timed } from "./measure.js";
import { onServer, servers } from "./servers.js";

const Driver = createRequire(import.meta.url)("libsql");
const rows = 1_000_000;
const inOrder = [
  "apiary",
  "keeper",
  "hive",
  "queen",
  "inspection",
  "treatment",
  "harvest",
  "equipment",
  "hive_keepers",
];

/** Inserts rows that are ready in memory, one hundred per statement, and then builds the indexes; says how long that took. */
const byHand = `
const { createRequire } = require("node:module");
const Driver = createRequire(process.argv[3])("libsql");
const [, full, empty] = process.argv;
const source = new Driver(full);
const tables = ${JSON.stringify(inOrder)}.map((name) => {
  const columns = source.prepare("select name from pragma_table_info(?)").all(name)
    .map((column) => column.name).filter((name) => !name.endsWith("__order"));
  const rows = source.prepare("select " + columns.map((each) => '"' + each + '"').join(", ") + " from " + name).raw(true).all();
  const pieces = [];
  for (let at = 0; at < rows.length; at += 100) pieces.push(rows.slice(at, at + 100).flat());
  return { name, columns, pieces };
});
source.close();
const driver = new Driver(empty);
driver.pragma("journal_mode = WAL");
driver.pragma("synchronous = NORMAL");
driver.pragma("foreign_keys = ON");
const begun = performance.now();
driver.exec("begin immediate");
const indexes = driver.prepare("select name, sql from sqlite_master where type = 'index' and sql is not null").all();
for (const { name } of indexes) driver.exec('drop index "' + name + '"');
for (const { name, columns, pieces } of tables) {
  const statement = (count) => driver.prepare("insert into " + name + " (" + columns.map((each) => '"' + each + '"').join(", ") + ") values " + Array(count).fill("(" + columns.map(() => "?").join(", ") + ")").join(", "));
  const many = statement(100);
  for (const piece of pieces) {
    if (piece.length === 100 * columns.length) many.run(piece);
    else statement(piece.length / columns.length).run(piece);
  }
}
for (const { sql } of indexes) driver.exec(sql);
driver.exec("commit");
require("node:fs").writeFileSync(process.argv[4], String(performance.now() - begun));
driver.close();
`;

/** Sends rows that are ready in files to a PostgreSQL database; says how long that took. */
const copyByHand = `
const { createRequire } = require("node:module");
const from = createRequire(process.argv[3]);
const { from: copyFrom } = from("pg-copy-streams");
const { pipeline } = require("node:stream/promises");
const { createReadStream, writeFileSync } = require("node:fs");
(async () => {
  const [, folder, address] = process.argv;
  const client = new (from("pg").Client)(address);
  await client.connect();
  const begun = performance.now();
  await client.query("begin");
  for (const { name, columns } of JSON.parse(process.argv[5])) {
    await pipeline(createReadStream(folder + "/" + name), client.query(copyFrom("copy " + name + " (" + columns + ") from stdin")));
  }
  await client.query("commit");
  writeFileSync(process.argv[4], String(performance.now() - begun));
  await client.end();
})();
`;

/** The same to a MariaDB database. */
const sendByHand = `
const { createRequire } = require("node:module");
const { createConnection } = createRequire(process.argv[3])("mysql2/promise");
const { createReadStream, writeFileSync } = require("node:fs");
(async () => {
  const [, folder, address] = process.argv;
  const client = await createConnection(address.replace("mariadb:", "mysql:"));
  const begun = performance.now();
  await client.query("begin");
  for (const { name, columns } of JSON.parse(process.argv[5])) {
    await client.query({
      sql: "load data local infile 'rows' into table " + name + " character set utf8mb4 (" + columns + ")",
      infileStreamFactory: () => createReadStream(folder + "/" + name),
    });
  }
  await client.query("commit");
  writeFileSync(process.argv[4], String(performance.now() - begun));
  await client.end();
})();
`;

/** How each server is sent rows that are ready in files. */
const sending = {
  postgres: {
    reference: "COPY of the same rows from ready files, in one transaction",
    byHand: copyByHand,
    cell: (value) => (typeof value === "boolean" ? (value ? "t" : "f") : value),
    quoted: (name) => `"${name}"`,
  },
  mariadb: {
    reference: "LOAD DATA of the same rows from ready files, in one transaction",
    byHand: sendByHand,
    cell: (value) => (typeof value === "boolean" ? Number(value) : value),
    quoted: (name) => `\`${name}\``,
  },
};

export async function seeding() {
  const lines = await onSqlite();
  for (const server of servers) lines.push(await seedingOn(server));
  return lines;
}

function seedingOn(server) {
  const { kind, name } = server;
  const { reference, byHand, cell, quoted } = sending[kind];
  const model = readFileSync(join(root, "demo", "model.yaml"), "utf8").replace("sqlite", kind);
  return onServer(server, model, async ({ folder, url, client, levadura }) => {
    levadura("seed", "--rows", String(rows));
    const tables = [];
    for (const table of inOrder) {
      const found = await client.query(`select * from ${quoted(table)}`);
      const columns = Object.keys(found[0]);
      const line = (row) =>
        columns
          .map((column) => {
            const value = cell(row[column]);
            return value === null
              ? "\\N"
              : String(value).replaceAll("\\", "\\\\").replaceAll("\n", "\\n");
          })
          .join("\t");
      const file = createWriteStream(join(folder, table));
      for (const row of found) if (!file.write(`${line(row)}\n`)) await once(file, "drain");
      file.end();
      await once(file, "finish");
      tables.push({ name: quoted(table), file: table, columns: columns.map(quoted).join(", ") });
    }
    const empty = async () => {
      if (kind === "mariadb") await client.query("set foreign_key_checks = 0");
      for (const table of [...inOrder, "levadura_seeded"]) {
        await client.query(`truncate ${quoted(table)}${kind === "postgres" ? " cascade" : ""}`);
      }
    };
    const said = join(folder, "said");
    const given = JSON.stringify(tables.map(({ file, columns }) => ({ name: file, columns })));
    const byFiles = [];
    const owning = [];
    for (let turn = 0; turn < 3; turn++) {
      await empty();
      owning.push(await timed(() => levadura("seed", "--rows", String(rows))));
      await empty();
      run(["-e", byHand, folder, url, join(root, "package.json"), said, given], folder);
      byFiles.push(Number(readFileSync(said, "utf8")));
    }
    return {
      what: `seeding 1,000,000 rows over 8 entities in ${name}, the whole process`,
      reference,
      own: median(owning),
      against: median(byFiles),
      hold: "<= 1.5",
    };
  });
}

async function onSqlite() {
  return inFolder(async (folder) => {
    const file = join(folder, "records.db");
    const [empty, full, said] = ["empty.db", "full.db", "said"].map((name) => join(folder, name));
    const model = readFileSync(join(root, "demo", "model.yaml"), "utf8");
    writeFileSync(join(folder, "model.yaml"), model);
    run([bin, "prepare"], folder);
    run([bin, "migrate"], folder);
    const copy = (from, to) => {
      const driver = new Driver(from);
      driver.exec(`vacuum into '${to}'`);
      driver.close();
    };
    copy(file, empty);
    const reset = () => {
      for (const end of ["", "-wal", "-shm"]) rmSync(file + end, { force: true });
      copyFileSync(empty, file);
    };
    const seed = [bin, "seed", "--rows", String(rows), "--project", folder];
    let memory = 0;
    const inserting = [];
    const owning = [];
    for (let turn = 0; turn < 3; turn++) {
      reset();
      owning.push(
        await timed(() => {
          memory = Math.max(memory, mostMemory(seed));
        }),
      );
      if (turn === 0) copy(file, full);
      reset();
      const given = [full, file, join(root, "package.json"), said];
      run(["--max-old-space-size=6000", "-e", byHand, ...given], folder);
      inserting.push(Number(readFileSync(said, "utf8")));
    }
    return [
      {
        what: "seeding 1,000,000 rows over 8 entities in SQLite, the whole process",
        reference:
          "inserting the same ready rows with the bare driver, 100 per statement; indexes are built at the end",
        own: median(owning),
        against: median(inserting),
        hold: "<= 1.5",
      },
      {
        what: "memory of that",
        reference: "400 MB",
        own: memory,
        against: 400,
        unit: "MB",
        hold: "<= 1",
      },
    ];
  });
}
