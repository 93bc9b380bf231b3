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

/** The kinds of databases that tests run over: a file; under KINDS=servers, which the long tests set, the servers. */
export const kinds: { kind: string; server: TestServer | undefined }[] =
  process.env.KINDS === "servers"
    ? [
        { kind: "postgres", server: postgres, there: await answers(postgres) },
        { kind: "mariadb", server: mariadb, there: await answers(mariadb) },
      ].filter(({ there }) => there)
    : [{ kind: "sqlite", server: undefined }];

let count = 0;

/** A model with `database: sqlite` for another kind of database. */
export function modelOn({ kind }: { kind: string }, model: string): string {
  return model.replace("database: sqlite", `database: ${kind}`);
}

/** A new project with a model, whose `database: sqlite` is what it says for another kind. */
export function projectOn(
  { kind, server }: { kind: string; server: TestServer | undefined },
  model: string,
): TestProject {
  const folder = projectWith(modelOn({ kind }, model), true);
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
    rows: async (statement) => {
      const found: unknown = await server.rowsIn(url, statement);
      return (Array.isArray(found) ? found.map(asInFile) : []) as never;
    },
    remove: async () => {
      rmSync(folder, { recursive: true, force: true });
      await administrator(server, `drop database if exists ${name} ${server.drop}`);
    },
  };
}

/** A row as a file holds it: there, moments and times are texts. */
function asInFile(row: Record<string, unknown>): Record<string, unknown> {
  const entries = Object.entries(row).map(([name, value]) => [
    name,
    typeof value === "string"
      ? value
          .replace(/^(\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d)(\+00)?$/, "$1T$2Z")
          .replace(/^(\d\d:\d\d):00$/, "$1")
      : value,
  ]);
  return Object.fromEntries(entries);
}
