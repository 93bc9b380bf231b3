// Lists sorted and filtered by computed fields, against SQL by hand; and evaluating, against a function by hand.
import { createRequire } from "node:module";
import { join } from "node:path";
import { build } from "esbuild";
import { byTurns, inFolder, root } from "./measure.js";

const Driver = createRequire(import.meta.url)("libsql");

const model = `levadura: 1
entities:
  Hive:
    fields:
      code: text ..20
      honey: "= sum(harvests.weight)"
  Harvest:
    fields:
      hive: one Hive, required
      weight: decimal 0..60, places 1
      price: money 0..90
      removed: date
      value: "= weight * price"
`;

/** The parts of the program that are measured, bundled as the program itself is. */
async function formulas(folder) {
  const outfile = join(folder, "formulas.mjs");
  await build({
    stdin: {
      contents: `export * from "./src/core/formula/ready.ts";
export * from "./src/core/formula/scope.ts";
export * from "./src/core/formula/evaluate.ts";
export * from "./src/core/formula/sql/sql.ts";
export { readModel } from "./src/core/model/read.ts";`,
      resolveDir: root,
    },
    bundle: true,
    platform: "node",
    format: "esm",
    banner: {
      js: 'import { createRequire } from "node:module"; const require = createRequire(import.meta.url);',
    },
    outfile,
    logLevel: "error",
  });
  return import(outfile);
}

function database(file) {
  const driver = new Driver(file);
  driver.exec(`create table hive (id integer primary key, code text);
    create table harvest (id integer primary key, hive_id integer, weight decimal(15, 1), price decimal(15, 2), removed text);
    with recursive n (i) as (select 1 union all select i + 1 from n where i < 100000)
    insert into hive select i, 'B-' || i from n;
    with recursive n (i) as (select 1 union all select i + 1 from n where i < 1000000)
    insert into harvest select i, 1 + (i * 7919) % 100000, (i * 37 % 600) / 10.0, 4 + (i * 101 % 2600) / 100.0, null from n;
    create index harvest_hive_id_index on harvest (hive_id);`);
  return driver;
}

export async function computed() {
  return inFolder(async (folder) => {
    const { readModel, computedField, formulaSql, evaluation, formulaOf, nameIn } =
      await formulas(folder);
    const read = readModel(model).model;
    const driver = database(join(folder, "records.db"));
    const listed = (entity, name) => {
      const found = read.entities.find((each) => each.name === entity);
      const field = found.fields.find((each) => each.name === name);
      const row = nameIn("sqlite", entity.toLowerCase());
      return formulaSql(computedField(read, found, field), "sqlite", { row, today: "", now: "" });
    };
    const list = (table, expression, least) => () => {
      const rows = driver
        .prepare(
          `select id, ${expression} as value from ${table} where ${expression} > ${least} order by value desc, id limit 25`,
        )
        .all();
      if (rows.length !== 25) throw new Error(`${rows.length} rows`);
      return rows;
    };
    const results = [];
    for (const [what, table, own, hand, least] of [
      [
        "list of 1,000,000 rows sorted and filtered by a product, in SQLite",
        "harvest",
        listed("Harvest", "value"),
        "round(harvest.weight * harvest.price, 3)",
        1000,
      ],
      [
        "list of 100,000 rows sorted and filtered by a sum over 1,000,000 others",
        "hive",
        listed("Hive", "honey"),
        "(select coalesce(round(sum(h.weight), 1), 0) from harvest as h where h.hive_id = hive.id)",
        100,
      ],
    ]) {
      const [ours, theirs] = [list(table, own, least), list(table, hand, least)];
      if (JSON.stringify(ours()) !== JSON.stringify(theirs())) throw new Error("other rows");
      const [figure, against] = await byTurns(7, ours, theirs);
      results.push({
        what,
        reference: "the same SQL by hand",
        own: figure,
        against,
        hold: "<= 1.1",
      });
    }
    driver.close();
    results.push(await evaluating(read, { evaluation, formulaOf }));
    return results;
  });
}

async function evaluating(model, { evaluation, formulaOf }) {
  const harvest = model.entities[1];
  const text = "= if(removed is empty, round(weight * price, 2), 0) + weight";
  const evaluate = evaluation(formulaOf(model, harvest, text).calculation);
  const byHand = ({ removed, weight, price }) => {
    if (weight === null || price === null) return null;
    const worth = removed === null ? Math.round(weight * price * 100) / 100 : 0;
    return Math.round((worth + weight) * 100) / 100;
  };
  const rows = Array.from({ length: 100_000 }, (_, at) => ({
    removed: at % 3 === 0 ? "2026-05-03" : null,
    weight: ((at * 37) % 600) / 10,
    price: 4 + ((at * 101) % 2600) / 100,
  }));
  const around = { today: "2026-05-03", now: "2026-05-03T07:00:00Z" };
  const over = (compute) => () => {
    let sum = 0;
    for (let turn = 0; turn < 20; turn++) for (const row of rows) sum += compute(row, around) ?? 0;
    return sum;
  };
  const [own, against] = await byTurns(7, over(evaluate), over(byHand));
  return {
    what: `evaluating \`${text.slice(2)}\` for 2,000,000 rows`,
    reference: "a function by hand",
    own,
    against,
    hold: "<= 10",
  };
}
