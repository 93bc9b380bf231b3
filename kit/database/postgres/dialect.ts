import type { Dialect } from "../contract.ts";
import * as connection from "./connection.ts";
import { postgresFormulas } from "./formulas.ts";
import { logPosition, replicaOf } from "./replication.ts";
import * as tables from "./tables.ts";
import * as trouble from "./trouble.ts";

export const dialect: Dialect = {
  ...connection,
  ...tables,
  ...trouble,
  replicaOf,
  logPosition,
  formulas: postgresFormulas,
};
