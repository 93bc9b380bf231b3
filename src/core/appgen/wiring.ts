import { rulesOf } from "../formula/rules.ts";
import { type Entity, type Field, isMany, isReference, type Model } from "../model/model.ts";
import { slugOf } from "../naming/words.ts";
import { columnOf, linkOf } from "../schema/from-model.ts";
import { hasConditionalFields } from "./conditional-fields.ts";
import { attribute, Module, object, quote } from "./module.ts";
import type { Subject } from "./subject.ts";

/** `hive.routes.ts`: the queries and pages of an entity under its addresses. */
export function routesModule(subject: Subject): string {
  const module = new Module();
  const { entity, camel, pascal, pascalPlural, path, one, many, file, table, inForm } = subject;
  const own = (name: string) => module.use(name, `./${file}.ts`);
  const query = (name: string) => module.use(name, `./${file}.queries.ts`);
  const page = (name: string) => module.use(name, `./${file}.pages.tsx`);
  const trees = inForm.filter((field) => isAbove(entity, field)).map(columnOf);
  module.add(
    `export const ${camel}Routes = (db: ${module.type("Database", "../../database.ts")}) =>
  ${module.use("routesFor", "../../kit/routes.tsx")}(db, ${object([
    ["path", quote(path)],
    ["one", quote(one)],
    ["many", quote(many)],
    ["input", own(`${camel}Input`)],
    ["labels", own(`${camel}Labels`)],
    ["defaults", own(`${camel}Defaults`)],
    ["rules", module.use(`${camel}Rules`, `./${file}.rules.ts`)],
    ["list", query(`list${pascalPlural}`)],
    ["find", query(`find${pascal}`)],
    ["relations", query(`${camel}Relations`)],
    ["options", query(`${camel}Options`)],
    ["referencedBy", query(`${camel}ReferencedBy`)],
    ["create", query(`create${pascal}`)],
    ["update", query(`update${pascal}`)],
    ["remove", query(`remove${pascal}`)],
    ["table", quote(table)],
    ...(rulesOf(entity).length > 0
      ? [["rowRules", query(`${camel}RowRules`)] as [string, string]]
      : []),
    ...(trees.length > 0
      ? [["trees", `[${trees.map(quote).join(", ")}]`] as [string, string]]
      : []),
    ...(hasConditionalFields(subject)
      ? [["conditionalFields", query(`${camel}ConditionalFields`)] as [string, string]]
      : []),
    ["ListPage", page(`${pascal}ListPage`)],
    ["DetailPage", page(`${pascal}DetailPage`)],
    ["FormPage", page(`${pascal}FormPage`)],
  ])});`,
    `The addresses of ${many}.`,
  );
  return module.print();
}

/** Whether a field names the record above one of the same kind. Pairs are no tree: there each is the only one. */
function isAbove(entity: Entity, field: Field): boolean {
  const own = isReference(field) && field.type.entity === entity.name;
  return own && !field.required && !field.unique;
}

/** `hive.rules.ts`: the developer's own rules; written once. */
export function rulesModule(subject: Subject): string {
  const module = new Module();
  const { camel, pascal, file, many } = subject;
  const tables = module.type("Tables", "../../database.ts");
  const record = module.type(`${pascal}Record`, `./${file}.queries.ts`);
  const input = module.type(`${pascal}Input`, `./${file}.ts`);
  module.add(
    `export const ${camel}Rules: ${module.type("Rules", "../../kit/rules.ts")}<${tables}, ${record}, ${input}> = {};`,
    `Rules of your own for ${many}. This file was written once and is yours: building again leaves it alone.
\`check\`, \`beforeSave\`, \`afterSave\` and \`beforeDelete\` are described in src/kit/rules.ts.`,
  );
  return module.print();
}

/** `database.ts`: the typed tables. */
export function databaseModule(model: Model, subjects: readonly Subject[]): string {
  const module = new Module();
  const tables = subjects.map(
    ({ table, pascal, file }) =>
      `${quote(table)}: ${module.type(`${pascal}Columns`, `./entities/${file}/${file}.ts`)};`,
  );
  const links = model.entities.flatMap((entity) =>
    entity.fields.filter(isMany).map((field) => {
      const { table, from, to } = linkOf(entity, field);
      return `${quote(table)}: { ${quote(from)}: number; ${quote(to)}: number };`;
    }),
  );
  module.add(
    `export interface Tables {
  ${[...tables, ...links].join("\n  ")}
}

export type Database = ${module.type("Kysely", "kysely")}<Tables>;`,
    "Every table, with its columns.",
  );
  const otherwise = model.app.database === "sqlite" ? "defaultAddress" : "";
  if (otherwise) {
    module.add(
      `export const defaultAddress = "sqlite:../records.db";`,
      "The database when DATABASE_URL names no other: a file, seen from the folder of this application.",
    );
  }
  const given = ["address"];
  const moments = subjects.flatMap(({ entity, table }): [string, string][] => {
    const held = entity.fields.filter(({ type }) => type.kind === "datetime");
    return held.length > 0 ? [[table, JSON.stringify(held.map(columnOf))]] : [];
  });
  if (model.app.database === "mariadb" && moments.length > 0) {
    module.add(
      `const moments = ${object(moments)};`,
      "The columns that hold moments, which this database writes in a way of its own.",
    );
    given.push("moments");
  }
  module.add(
    `export const openDatabase = (address = ${module.use("databaseAddress", "./kit/database/location.ts")}(${otherwise})): Database =>
  ${module.use("openTables", "./kit/database/current-dialect.ts")}<Tables>(${given.join(", ")});`,
    "Opens the database.",
  );
  return module.print();
}

/** The name of a project as that of a file. */
export function projectSlug(model: Model): string {
  return slugOf(model.app.name) || "application";
}

/** `app.tsx`: puts entities, pages and kit together. */
export function appModule(model: Model, subjects: readonly Subject[]): string {
  const module = new Module();
  const { name, language, currency, timezone } = model.app;
  const menu = subjects.map(({ path, entity, one, table }) =>
    object([
      ["path", quote(path)],
      ["label", quote(entity.plural)],
      ["one", quote(one)],
      ["table", quote(table)],
    ]),
  );
  const routes = subjects.map(({ path, camel, file }) => {
    const name = module.use(`${camel}Routes`, `./entities/${file}/${file}.routes.ts`);
    return `app.route("${path}", ${name}(db));`;
  });
  const home = module.use("HomePage", "./kit/pages.tsx");
  module.add(`const menu = [${menu.join(", ")}];`);
  module.add(
    `export function createApp(db: ${module.type("Database", "./database.ts")}) {
  ${module.use("configure", "./kit/settings.ts")}(${object([
    ["name", quote(name)],
    ["language", quote(language)],
    ["currency", quote(currency)],
    ["timezone", quote(timezone)],
  ])});
  const app = ${module.use("application", "./kit/application.tsx")}(db, menu);

  app.get("/", async (c) => {
    const counts = await ${module.use("countRows", "./kit/records.ts")}(db, menu.map(({ table }) => table));
    const entities = menu.map((entry) => ({ ...entry, count: counts.get(entry.table) ?? 0 }));
    return c.render(<${home} name=${attribute(name)} entities={entities} />, {});
  });

  ${routes.join("\n  ")}

  return app;
}`,
    "The whole application over a database.",
  );
  return module.print();
}

/** `main.ts`: starts the server. */
export function mainModule(model: Model): string {
  const [names, given] = startingWith(model, "openDatabase");
  return `import { createApp } from "./app.tsx";
import { ${names} } from "./database.ts";
import { requireMigrated } from "./kit/database/startup.ts";
import { listen } from "./kit/server.ts";

await requireMigrated("migrations"${given});
const db = openDatabase();
listen(createApp(db), ${quote(model.app.name)}, () => db.destroy());
`;
}

/** `migrate.ts`: brings the database up to date. */
export function migrateModule(model: Model): string {
  const [names, given] = startingWith(model);
  return `${names ? `import { ${names} } from "./database.ts";\n` : ""}import { migrate } from "./kit/database/startup.ts";

await migrate("migrations"${given});
`;
}

/** What a start needs of `database.ts`, and what it hands on: a database in a file has an address of its own. */
function startingWith(model: Model, ...names: string[]): [string, string] {
  return model.app.database === "sqlite"
    ? [["defaultAddress", ...names].join(", "), ", defaultAddress"]
    : [names.join(", "), ""];
}
