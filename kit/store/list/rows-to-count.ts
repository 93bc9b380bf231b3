import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { type Condition, where } from "./conditions.ts";
import type { Counted } from "./counted.ts";
import { endsByIndex } from "./index-counts.ts";

/** How many rows are counted one by one, wherever they are in the table. */
const mostExact = 20_000;
/** In a table of no more rows, all of them are. */
const longTable = 100_000;
const sampleSize = 10_000;

/** The rows by which it is told how many have what. */
export interface RowsToCount {
  conditions: readonly Condition[];
  /** For how many rows each of them stands: 1 where they are all that there are. */
  each: number;
}

/**
 * The rows by which those that meet some conditions are counted, of which many things are asked. Few are found once and
 * named from then on. Very many are estimated by a sample, which is the same for every question until rows are added or
 * deleted.
 */
export async function rowsToCount(
  scope: Scope,
  entity: Entity,
  wanted: readonly Condition[],
): Promise<RowsToCount> {
  const sample = await sampleOf(scope, entity);
  if (wanted.length === 0 && scope.seesAll(entity)) return sample ?? { conditions: [], each: 1 };
  const found = sample && {
    ids: await idsOf(scope, entity, [...wanted, ...sample.conditions]),
    each: sample.each,
  };
  if (!found || found.ids.length * found.each < 2 * mostExact) {
    const ids = await idsOf(scope, entity, wanted, mostExact + 1);
    if (ids.length <= mostExact) return { conditions: [among(entity, ids)], each: 1 };
  }
  return found
    ? { conditions: [among(entity, found.ids)], each: found.each }
    : { conditions: wanted, each: 1 };
}

/**
 * A sample of the rows of a long table. The numbers of the records are cut into as many equal parts as the sample is to
 * have, and one number is taken of each (stratified sampling), so that rows which were added together don't stand for all.
 */
async function sampleOf(scope: Scope, entity: Entity): Promise<RowsToCount | undefined> {
  const id = sql.ref(`${entity.table}.id`);
  const ends = await endsByIndex(scope, entity, id);
  const [first = 0, last = 0] = ends.map((end) => Number(end ?? 0));
  if (last - first < longTable) return undefined;
  const each = (last - first + 1) / sampleSize;
  let state = 1;
  const numbers = Array.from({ length: sampleSize }, (_, at) => {
    // Park and Miller's generator.
    state = (state * 48_271) % 2_147_483_647;
    return first + Math.floor((at + state / 2_147_483_647) * each);
  });
  return { conditions: [among(entity, numbers)], each };
}

async function idsOf(
  scope: Scope,
  entity: Entity,
  wanted: readonly Condition[],
  most?: number,
): Promise<number[]> {
  const limit = most === undefined ? sql`` : sql`limit ${sql.lit(most)}`;
  const { rows } = await sql<{ id: number }>`
    select ${sql.ref(`${entity.table}.id`)} from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
    ${where(wanted)} ${limit}`.execute(scope.db);
  return rows.map(({ id }) => Number(id));
}

/** That a record has one of some numbers. They are written out, since databases take fewer parameters. */
function among(entity: Entity, ids: readonly number[]): Condition {
  const condition: RawBuilder<SqlBool> =
    ids.length > 0
      ? sql`${sql.ref(`${entity.table}.id`)} in (${sql.raw(ids.join(","))})`
      : sql`1 = 0`;
  return condition as Condition;
}

/** What was counted in some rows, for all for which they stand. */
export function estimated(counted: Counted, { each }: RowsToCount): Counted {
  if (each === 1) return counted;
  const all = (count: number) => Math.round(count * each);
  const { values, blank, spread } = counted;
  return {
    ...counted,
    each,
    ...(values && { values: values.map((value) => ({ ...value, count: all(value.count) })) }),
    ...(blank !== undefined && { blank: all(blank) }),
    ...(spread && {
      spread: { parts: spread.parts.map((part) => ({ ...part, count: all(part.count) })) },
    }),
  };
}
