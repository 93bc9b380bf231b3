import type { DatabaseKind, Model } from "../model/model.ts";
import type { Dialect } from "./dialect.ts";
import { mariadb } from "./mariadb/mariadb.ts";
import { postgres } from "./postgres/postgres.ts";
import { sqlite } from "./sqlite/sqlite.ts";

const dialects: Readonly<Record<DatabaseKind, Dialect>> = { sqlite, postgres, mariadb };

/** The dialect of a model's database. */
export function dialectOf({ app }: Pick<Model, "app">): Dialect {
  return dialects[app.database];
}
