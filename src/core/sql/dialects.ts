import type { DatabaseKind, Model } from "../model/model.ts";
import type { Dialect } from "./dialect.ts";
import { mariadb } from "./mariadb/dialect.ts";
import { postgres } from "./postgres/dialect.ts";
import { sqlite } from "./sqlite/dialect.ts";

const dialects: Readonly<Record<DatabaseKind, Dialect>> = { sqlite, postgres, mariadb };

/** The dialect of a model's database. */
export function dialectOf({ app }: Pick<Model, "app">): Dialect {
  return dialects[app.database];
}
