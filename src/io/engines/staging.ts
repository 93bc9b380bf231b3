import { Failure } from "../../core/failure.ts";
import type { Value } from "../../core/seeding/value.ts";
import {
  countIn,
  inUseFirst,
  type LateKeys,
  type LoadPlace,
  type StagedColumn,
} from "./load-place.ts";
import type { KeyedTable, LoadRow, LoadTarget } from "./loading.ts";

/** Rows that are staged at once. */
const atOnce = 1000;

async function keyType(place: LoadPlace, { table, key }: KeyedTable): Promise<string> {
  return (await place.columnTypes(table)).get(key) ?? "";
}

/** Makes the tables for keys of rows that may come later than those that refer to them. */
export async function stageLate(
  place: LoadPlace,
  target: LoadTarget,
  number: number,
): Promise<LateKeys> {
  const make = async (name: string, other: KeyedTable) => {
    const columns = [
      { name: "id", type: place.number },
      { name: "key_text", type: await keyType(place, other) },
    ];
    await place.stage(name, columns, "id");
    return name;
  };
  const columns = new Map<number, string>();
  for (const [at, { reference }] of target.columns.entries()) {
    if (reference?.late) columns.set(at, await make(`levadura_late_${number}_${at}`, reference));
  }
  const links: string[] = [];
  for (const [at, link] of target.links.entries()) {
    links.push(await make(`levadura_links_${number}_${at}`, link.target));
  }
  return { columns, links };
}

/** Lays rows ready in a table of their own: what refers is resolved, so that rows can be compared. */
export async function stageRows(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  late: LateKeys,
  batches: Iterable<readonly LoadRow[]>,
): Promise<void> {
  const types = await place.columnTypes(target.table);
  const early = target.columns.flatMap(({ reference }, at) =>
    reference && !reference.late ? [{ at, reference }] : [],
  );
  const keys: StagedColumn[] = [];
  for (const { at, reference } of early) {
    keys.push({ name: `k${at}`, type: await keyType(place, reference) });
  }
  const values = target.columns.map(({ name }, at) => ({
    name: `c${at}`,
    type: types.get(name) ?? "",
  }));
  const number = { name: "n", type: place.number };
  const rest = [
    { name: "id", type: place.number },
    { name: "state", type: "varchar(20)" },
  ];
  await place.stage(staged, [number, ...values, ...keys, ...rest], "n");
  const written = [number, ...values, ...keys];
  let count = 0;
  for (const batch of batches) {
    for (let from = 0; from < batch.length; from += atOnce) {
      const waiting = new Map<string, Value[][]>();
      const rows = batch.slice(from, from + atOnce).map((row) => {
        count++;
        const own = row.values.map((value, at) => (target.columns[at]?.reference ? null : value));
        for (const [at, table] of late.columns) keep(waiting, table, count, row.values[at]);
        row.links.forEach((each, link) => {
          for (const key of each) keep(waiting, late.links[link] ?? "", count, key);
        });
        return [count, ...own, ...early.map(({ at }) => textOf(row.values[at]))];
      });
      await place.insert(staged, written, rows);
      for (const [table, lateRows] of waiting) {
        const type = await lateType(place, target, late, table);
        const columns = [
          { name: "id", type: place.number },
          { name: "key_text", type },
        ];
        await place.insert(table, columns, lateRows);
      }
    }
  }
  for (const { at, reference } of early) await resolve(place, target, staged, at, reference);
}

function keep(waiting: Map<string, Value[][]>, table: string, id: number, key: unknown): void {
  if (key === null || key === undefined) return;
  const rows = waiting.get(table) ?? [];
  rows.push([id, String(key)]);
  waiting.set(table, rows);
}

function textOf(key: unknown): string | null {
  return key === null || key === undefined ? null : String(key);
}

async function lateType(
  place: LoadPlace,
  target: LoadTarget,
  late: LateKeys,
  table: string,
): Promise<string> {
  const column = [...late.columns].find(([, name]) => name === table)?.[0];
  const other =
    column === undefined
      ? target.links[late.links.indexOf(table)]?.target
      : target.columns[column]?.reference;
  return other ? keyType(place, other) : "";
}

async function resolve(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  at: number,
  other: KeyedTable,
): Promise<void> {
  await place.run(
    `update ${staged} set c${at} = (select r.id from ${place.quoted(other.table)} r where ${place.hasKey("r", other, `${staged}.k${at}`)}${inUseFirst(place, "r", other)}) where k${at} is not null`,
  );
  const lost = await countIn(place, `${staged} where k${at} is not null and c${at} is null`);
  if (lost > 0) throw strangers(target, target.columns[at]?.name ?? "", other, lost);
}

/** References lead to rows that are not there. */
export function strangers(
  { table }: LoadTarget,
  column: string,
  { table: other, key }: KeyedTable,
  count: number,
): Failure {
  return new Failure(
    "input",
    `${count} ${count === 1 ? "row" : "rows"} for ${table} refer in ${column} to a row of ${other} that is not there`,
    `they are found by ${key}: correct the data, or import the rows that they refer to as well`,
  );
}
