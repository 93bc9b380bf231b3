// All rows of a long list as CSV, against the bare driver that reads the same rows; and the memory that it takes.
import { writeFileSync } from "node:fs";
import { get } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, inFolder, median, run, startServer } from "./measure.js";
import { fill, model, rows } from "./pages.js";

/** Reads a file from the application to its end; gives the rows of it in a second. */
function downloaded(url) {
  return new Promise((resolve, reject) => {
    const begun = performance.now();
    get(url, (answer) => {
      let lines = 0;
      answer.on("data", (chunk) => {
        for (const byte of chunk) if (byte === 10) lines++;
      });
      answer.on("end", () => resolve((lines * 1000) / (performance.now() - begun)));
    }).on("error", reject);
  });
}

/** The rows that the driver alone reads in a second, as lines of text. */
function read(file) {
  const driver = new Driver(file);
  const begun = performance.now();
  let lines = 0;
  let size = 0;
  const statement = driver.prepare(
    "select code, (select name from apiary where apiary.id = apiary_id), date, weight, sort from harvest order by date desc, id desc",
  );
  for (const row of statement.raw().iterate()) {
    size += row.join(",").length;
    lines++;
  }
  driver.close();
  if (size === 0) throw new Error("nothing was read");
  return (lines * 1000) / (performance.now() - begun);
}

export function exported() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
    const file = join(folder, "records.db");
    fill(file);
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    try {
      const own = [];
      const bare = [];
      for (let turn = 0; turn < 3; turn++) {
        own.push(await downloaded(`${application.address}/harvests/export/csv`));
        bare.push(read(file));
      }
      return [
        {
          what: `${rows.toLocaleString("en")} rows of a list as CSV, downloaded`,
          reference: "the bare driver that reads the same columns in the same order",
          own: median(own),
          against: median(bare),
          unit: "rows/s",
          hold: ">= 0.5",
        },
      ];
    } finally {
      await application.stop();
    }
  });
}
