import { rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { rowsOf } from "./database.ts";
import { projectWith } from "./program.ts";
import { administrator, answers, mariadb, postgres, type TestServer } from "./servers.ts";

/** A project over a database of its own. */
export interface TestProject {
  folder: string;
  /** The address of its database. */
  url: string;
  /** The rows of a statement, read on their own. */
  rows<Row = Record<string, unknown>>(statement: string): Promise<Row[]>;
  /** Takes project and database away. */
  remove(): Promise<void>;
}

/** The kinds of databases; those whose server doesn't answer say so. */
export const kinds = [
  { kind: "sqlite", server: undefined, there: true },
  { kind: "postgres", server: postgres, there: await answers(postgres) },
  { kind: "mariadb", server: mariadb, there: await answers(mariadb) },
] as const;

let count = 0;

/** A new project with a model, whose `database: sqlite` is what it says for another kind. */
export function projectOn(
  { kind, server }: { kind: string; server: TestServer | undefined },
  model: string,
): TestProject {
  const folder = projectWith(model.replace("database: sqlite", `database: ${kind}`), true);
  if (!server) {
    const file = join(folder, "records.db");
    return {
      folder,
      url: `sqlite:${file}`,
      rows: async (statement) => rowsOf(file, statement),
      remove: async () => rmSync(folder, { recursive: true, force: true }),
    };
  }
  const name = `levadura_project_${process.pid}_${++count}`;
  const url = `${server.address}/${name}`;
  writeFileSync(join(folder, ".env"), `DATABASE_URL=${url}\n`);
  return {
    folder,
    url,
    rows: (statement) => server.rowsIn(url, statement) as never,
    remove: async () => {
      rmSync(folder, { recursive: true, force: true });
      await administrator(server, `drop database if exists ${name} ${server.drop}`);
    },
  };
}
