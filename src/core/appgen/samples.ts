import { isMany, isReference, type Model } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { sampleRecord } from "../seeding/sample.ts";
import { Module, object, quote } from "./module.ts";
import { inputName, type Subject, targetOf } from "./subject.ts";

/** The day by which the values of tests are made, so that they are the same on every machine. */
const today = "2026-01-01";

type Referring = Parameters<typeof targetOf>[1];

/** `test/samples/hive.ts`: one record of a kind, with the records that it needs. */
export function sampleModule(model: Model, subject: Subject): string {
  const module = new Module();
  module.type("Database", "../../src/database.ts");
  const { entity, file, camel, pascal } = subject;
  const sample = sampleRecord(model, entity, today);
  const sampleOf = (field: Referring) => {
    const target = targetOf(model, field);
    const name = `sample${target.pascal}`;
    return `await ${target === subject ? name : module.use(name, `./${target.file}.ts`)}(db)`;
  };
  const entries = subject.inForm.map((field): [string, string] => {
    const name = inputName(field);
    if (isMany(field)) return [name, field.required ? `[${sampleOf(field)}]` : "[]"];
    const value = sample[columnOf(field)] ?? null;
    // None needs another one of its own kind.
    if (isReference(field) && value !== null && field.type.entity !== entity.name) {
      return [name, sampleOf(field)];
    }
    return [
      name,
      isReference(field) ? "null" : typeof value === "string" ? quote(value) : String(value),
    ];
  });
  const source = "../../src";
  const made = `${module.use("create", `${source}/kit/store/save.ts`)}(${module.use("createScope", `${source}/app.ts`)}(db), ${module.use(`${camel}Entity`, `${source}/entities/${file}/${file}.ts`)}, ${object(entries)})`;
  module.add(
    `export async function sample${pascal}(db: Database): Promise<number> {
  const found = await db.selectFrom("${subject.table}").select("id").limit(1).executeTakeFirst();
  return found?.id ?? ${made};
}`,
    `The number of ${subject.one} number one, which is made when there is none yet.`,
  );
  return module.print();
}

/** `test/fixture.ts`: the application over an empty database of its own. */
export const fixture = ({ app, users }: Model) => `import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createApp } from "../src/app.ts";
import { openDatabase } from "../src/database.ts";
import { kind, openConnection } from "../src/kit/database/current-dialect.ts";
import { readMigrations } from "../src/kit/database/location.ts";
import { applyMigrations } from "../src/kit/migrations/migrations.ts";
import { makeScratch } from "../src/kit/database/${app.database}/scratch.ts";

${
  users
    ? `/** Who asks in these tests. */
const administrator = ${
        users.organisations
          ? `{
  id: 1,
  name: "Test",
  groups: ["administrators"],
  organisation: { id: 1, name: "Test" },
}`
          : '{ id: 1, name: "Test", groups: ["administrators"] }'
      };

`
    : ""
}/** The application over an empty database, which \`close\` removes again. */
export async function openFixture() {
  const folder = mkdtempSync(join(tmpdir(), "application-"));
  const { address, remove } = await makeScratch(folder);
  const connection = await openConnection(address);
  await applyMigrations(connection, readMigrations("migrations", kind), {
    keptFolder: join(folder, "kept"),
  });
  await connection.close();
  const db = openDatabase(address);
  const app = createApp(db${users ? ", { personOf: () => administrator }" : ""});
  const headers = { host: "localhost", origin: "http://localhost" };
  return {
    db,
    get: (path: string) => app.request(path, { headers }),
    post: (path: string, body: Record<string, string> = {}) =>
      app.request(path, { method: "POST", headers, body: new URLSearchParams(body) }),
    close: async () => {
      await db.destroy();
      await remove();
      rmSync(folder, { recursive: true });
    },
  };
}
`;

/** \`test/hive.test.ts\`: the pages of an entity, from the list to the deletion. */
export function entityTest(subject: Subject): string {
  const { file, pascal, path, one, many, inForm } = subject;
  const needed = inForm.filter(
    ({ required, type, default: start }) =>
      required && type.kind !== "boolean" && type.kind !== "many" && !(start && "formula" in start),
  );
  const missing =
    needed.length === 0
      ? ""
      : `
  it("says what is missing in the form", async () => {
    const answer = await app.post("${path}/new");
    expect(answer.status).toBe(422);
    expect(await answer.text()).toContain('id="error-${needed[0] && inputName(needed[0])}"');
  });
`;
  return `import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openFixture } from "./fixture.ts";
import { sample${pascal} } from "./samples/${file}.ts";

describe(${quote(many)}, () => {
  let app: Awaited<ReturnType<typeof openFixture>>;
  beforeAll(async () => {
    app = await openFixture();
  });
  afterAll(() => app.close());
${missing}
  it(${quote(`lists, shows and edits one ${one}`)}, async () => {
    const id = await sample${pascal}(app.db);
    const shown = await app.get(\`${path}/\${id}\`);
    const address = shown.headers.get("location") ?? \`${path}/\${id}\`;
    for (const page of ["${path}", address, \`\${address}/edit\`]) {
      expect((await app.get(page)).status, page).toBe(200);
    }
    expect(await (await app.get("${path}")).text()).toContain(address);
  });

  it(${quote(`deletes one ${one}`)}, async () => {
    const id = await sample${pascal}(app.db);
    expect((await app.get(\`${path}/\${id}/delete\`)).status).toBe(200);
    expect((await app.post(\`${path}/\${id}/delete\`, { _version: "1", _parts: "0" })).status).toBe(303);
    expect((await app.get(\`${path}/\${id}\`)).status).toBe(404);
  });
});
`;
}
