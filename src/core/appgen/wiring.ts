import { isFiles } from "../fields/files.ts";
import { hiddenFields } from "../formula/hidden-fields.ts";
import {
  type EmbeddedPage,
  entityNamed,
  type Grant,
  isMany,
  type MenuEntry,
  type Model,
  namedViews,
  type Organisations,
  type Plan,
} from "../model/model.ts";
import { queryText } from "../model/query-text.ts";
import { rightsOf } from "../model/rights.ts";
import { slugOf } from "../naming/words.ts";
import { columnOf, linkOf, tableOf } from "../schema/from-model.ts";
import { databaseCodes } from "./databases.ts";
import { featureCodes } from "./features/features.ts";
import { formulaRemark, rightCondition } from "./formulas.ts";
import { labelCode } from "./labels.ts";
import { accentOf } from "./look.ts";
import { Module, object, quote } from "./module.ts";
import { inputName, type Subject } from "./subject.ts";

/** `hive.features.ts`: the rules of an entity, and what the application can do with it. */
export function featuresModule(subject: Subject): string {
  const module = new Module();
  const { camel, file, many } = subject;
  const made = featureCodes.flatMap((feature) => feature.made(module, subject) ?? []);
  module.add(
    `export const ${camel}Features = ${module.use("features", "../../kit/features/feature.ts")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${camel}Rules`, `./${file}.rules.ts`)}, [
  ${made.join(",\n  ")},
]);`,
    `What the application can do with ${many}.`,
  );
  return module.print();
}

/** `hive.rules.ts`: the developer's own rules; written once. */
export function rulesModule(subject: Subject): string {
  const module = new Module();
  const { camel, pascal, file, many } = subject;
  const tables = module.type("Tables", "../../database.ts");
  const row = module.type(`${pascal}Row`, `./${file}.ts`);
  const input = module.type(`${pascal}Input`, `./${file}.ts`);
  module.add(
    `export const ${camel}Rules: ${module.type("Rules", "../../kit/entity/rules.ts")}<${tables}, ${row}, ${input}> = {};`,
    `Rules of your own for ${many}. This file was written once and is yours: building again leaves it alone.
\`check\`, \`beforeSave\`, \`afterSave\` and \`beforeDelete\` are described in src/kit/entity/rules.ts.`,
  );
  return module.print();
}

/** `database.ts`: the typed tables. */
export function databaseModule(model: Model, subjects: readonly Subject[]): string {
  const module = new Module();
  const tables = subjects.map(
    ({ table, pascal, file }) =>
      `${quote(table)}: ${module.type(`${pascal}Table`, `./entities/${file}/${file}.ts`)};`,
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
  const { usual, movesMoments } = databaseCodes[model.app.database];
  if (usual) {
    module.add(
      `export const defaultAddress = ${quote(usual)};`,
      "The database when DATABASE_URL names no other: a file, seen from the folder of this application.",
    );
  }
  const given = ["address"];
  const moments = subjects.flatMap(({ entity, table }): [string, string][] => {
    const held = entity.fields.filter(({ type }) => type.kind === "datetime");
    return held.length > 0 ? [[table, JSON.stringify(held.map(columnOf))]] : [];
  });
  if (movesMoments && moments.length > 0) {
    module.add(
      `const moments = ${object(moments)};`,
      "The columns that hold moments, which this database writes in a way of its own.",
    );
    given.push("moments");
  }
  module.add(
    `export const openDatabase = (address = ${module.use("databaseAddress", "./kit/database/location.ts")}(${usual ? "defaultAddress" : ""})): Database =>
  ${module.use("openTables", "./kit/database/current-dialect.ts")}<Tables>(${given.join(", ")});`,
    "Opens the database.",
  );
  return module.print();
}

/** The name of a project as that of a file. */
export function projectSlug(model: Model): string {
  return slugOf(model.app.name) || "application";
}

/** `app.ts`: puts entities and kit together. */
export function appModule(model: Model, subjects: readonly Subject[]): string {
  const module = new Module();
  const { name, language, currency, timezone, look, logo, offline } = model.app;
  const kit = "./kit/app/application.ts";
  const entities = subjects.map(({ camel, file }) =>
    module.use(`${camel}Features`, `./entities/${file}/${file}.features.ts`),
  );
  const database = module.type("Database", "./database.ts");
  const access = model.users ? module.use("access", "./access.ts") : undefined;
  module.add(
    `const parts = ${object([
      [
        "settings",
        object([
          ["name", quote(name)],
          ["language", quote(language)],
          ["currency", quote(currency)],
          ["timezone", quote(timezone)],
          ["look", quote(look)],
          ["color", quote(accentOf(model))],
          ...(logo ? [["logo", "true"] as const] : []),
          ...(offline ? [["offline", "true"] as const] : []),
          ...(model.menu ? [["menu", menuCode(model.menu, subjects)] as const] : []),
          ...(model.embedded ? [["embedded", embeddedCode(model, model.embedded)] as const] : []),
        ]),
      ],
      ...(access ? [["access", access] as const] : []),
      ["entities", `[${entities.join(", ")}]`],
      ["dashboard", module.use("dashboard", "./dashboard.ts")],
    ])};`,
  );
  module.add(
    `export const createApp = (db: ${database}, more: ${module.type("More", kit)} = {}) => ${module.use("application", kit)}({ db, ...parts, ...more });`,
    "The whole application over a database; `more` says who asks, and who may do what.",
  );
  if (access) {
    module.add(
      `export const scopesOf = (db: ${database}) => ${module.use("scopes", kit)}({ db, ...parts });`,
      "What each person sees and may do, for work that no request asks for.",
    );
  }
  const policy = access ? `, policy: ${module.use("everything", "./kit/access/scope.ts")}` : "";
  module.add(
    `export const createScope = (db: ${database}) => ${module.use("scopes", kit)}({ db, ...parts${policy} })(undefined);`,
    `What scripts and tests of your own read and save records with, as nobody in particular${access ? ", who may do everything" : ""}.`,
  );
  return module.print();
}

/** The menu as the model has it, entities by their tables. */
function menuCode(menu: readonly MenuEntry[], subjects: readonly Subject[]): string {
  const tableOf = (name: string) =>
    quote(subjects.find(({ entity }) => entity.name === name)?.table ?? name);
  const entries = menu.map((entry) => {
    if ("entity" in entry) return object([["table", tableOf(entry.entity)]]);
    const label = ["label", labelCode(entry)] as const;
    return "href" in entry
      ? object([label, ["href", quote(entry.href)]])
      : object([label, ["tables", `[${entry.entities.map(tableOf).join(", ")}]`]]);
  });
  return `[${entries.join(", ")}]`;
}

/** The pages that may stand in other sites, each with what stands behind the `?` of the list that it shows. */
function embeddedCode(model: Model, pages: readonly EmbeddedPage[]): string {
  const codes = pages.map(({ name, kind, entity, view, origins, limit }) => {
    const of = entityNamed(model, entity);
    const named = namedViews(of).find((each) => each.name === view);
    const query = new URLSearchParams(named?.query);
    if (kind === "calendar") query.set("layout", "calendar");
    const text = queryText(query);
    return object([
      ["name", quote(name)],
      ["kind", quote(kind)],
      ["of", quote(tableOf(entity))],
      ...(named ? [["title", labelCode({ label: named.name, labels: named.names })] as const] : []),
      ...(text === "" ? [] : [["query", quote(text)] as const]),
      ["origins", JSON.stringify(origins)],
      ...(limit === undefined ? [] : [["limit", String(limit)] as const]),
    ]);
  });
  return `[${codes.join(", ")}]`;
}

/** `access.ts`: the groups of the people who sign in, and what they may do. */
export function accessModule(model: Model, subjects: readonly Subject[]): string | undefined {
  const { users } = model;
  if (!users) return undefined;
  const module = new Module();
  const grantOf = (subject: Subject, group: string, { may, where, readOnly }: Grant): string => {
    const named = (names: ReadonlySet<string>) =>
      subject.entity.fields.filter(({ name }) => names.has(name)).map(inputName);
    const hidden = named(hiddenFields(model, subject.entity, group));
    const fixed = named(new Set(readOnly));
    const parts: [string, string][] = [
      ["may", list(may)],
      ...(where
        ? [["where", rightCondition(module, model, subject, where)] as [string, string]]
        : []),
      ...(hidden.length > 0 ? [["hidden", list(hidden)] as [string, string]] : []),
      ...(fixed.length > 0 ? [["readOnly", list(fixed)] as [string, string]] : []),
    ];
    return where ? `${formulaRemark(where)}\n  ${object(parts)}` : object(parts);
  };
  const rights = subjects.map((subject): [string, string] => [
    subject.table,
    object(
      Object.entries(rightsOf(users, subject.entity)).map(([group, grants]) => [
        group,
        `[${grants.map((grant) => grantOf(subject, group, grant)).join(",\n")}]`,
      ]),
    ),
  ]);
  const record = subjects.find(({ entity }) => entity.name === users.record)?.table;
  module.add(
    `export const access: ${module.type("Access", "./kit/access/access.ts")} = ${object([
      ...(record === undefined ? [] : [["record", quote(record)] as const]),
      ...(users.signUp ? [["signUp", quote(users.signUp)] as const] : []),
      ...(users.newcomers.length > 0 ? [["newcomers", list(users.newcomers)] as const] : []),
      ...(users.rightsAre ? [["rightsAre", quote(users.rightsAre)] as const] : []),
      ...(users.organisations
        ? [["organisations", organisationsCode(users.organisations, subjects)] as const]
        : []),
      ["groups", object(users.groups.map((group) => [group.name, labelCode(group)]))],
      ["rights", object(rights)],
    ])};`,
    `Who may do what: the groups of the people who sign in, and their rights on the records of each entity.
Everyone who is signed in is in \`everyone\`, and may do what \`visitors\` may, who aren't. Administrators may do everything.`,
  );
  return module.print();
}

function organisationsCode(
  { label, labels, plural, plurals, openTo, plans }: Organisations,
  subjects: readonly Subject[],
): string {
  const tableNamed = (name: string) =>
    subjects.find(({ entity }) => entity.name === name)?.table ?? name;
  const planCode = ({ records, people, without }: Plan) =>
    object([
      ["records", object([...records].map(([entity, most]) => [tableNamed(entity), String(most)]))],
      ...(people === undefined ? [] : [["people", String(people)] as const]),
      ...(without.length > 0 ? [["without", list(without)] as const] : []),
    ]);
  return object([
    ["label", labelCode({ label, labels })],
    ["plural", labelCode({ label: plural, labels: plurals })],
    ...(openTo ? [["openTo", quote(openTo)] as const] : []),
    ...(plans.length > 0
      ? [["plans", object(plans.map((plan) => [plan.name, planCode(plan)]))] as const]
      : []),
  ]);
}

function list(texts: readonly string[]): string {
  return `[${texts.map(quote).join(", ")}]`;
}

/** `main.ts`: starts the server. */
export function mainModule(model: Model): string {
  const [names, given] = startingWith(model, "openDatabase");
  const file = "./kit/access/first-administrator.ts";
  const first = model.users?.organisations ? `db, ${quote(model.app.name)}` : "db";
  return `import { ${model.users ? "createApp, scopesOf" : "createApp"} } from "./app.ts";
import { ${names} } from "./database.ts";
${
  model.users
    ? `import { firstAdministrator } from "${file}";
`
    : ""
}${model.users ? `import { chores } from "./kit/app/chores.ts";\n` : ""}import { listen } from "./kit/app/server.ts";
import { requireMigrated } from "./kit/migrations/startup.ts";

await requireMigrated("migrations"${given});
const db = openDatabase();
listen(createApp(db), ${quote(model.app.name)}, {
  close: () => db.destroy(),
  signsIn: ${model.users !== undefined},${model.users ? `\n  chores: () => chores(db, scopesOf(db)),\n  welcome: await firstAdministrator(${first}),` : ""}
});
`;
}

/** `migrate.ts`: brings the database up to date. */
export function migrateModule(model: Model): string {
  const [names, given] = startingWith(model);
  return `${names ? `import { ${names} } from "./database.ts";\n` : ""}import { migrate } from "./kit/migrations/startup.ts";

await migrate("migrations"${given});
`;
}

/** `files.ts`: says which files are in use, and removes those that aren't; undefined where no field has any. */
export function filesModule(model: Model, subjects: readonly Subject[]): string | undefined {
  const columns = subjects.flatMap(({ entity, table }) =>
    entity.fields
      .filter(({ type }) => isFiles(type))
      .map((field) => `[${quote(table)}, ${quote(columnOf(field))}]`),
  );
  if (columns.length === 0) return undefined;
  const [names, given] = startingWith(model);
  return `${names ? `import { ${names} } from "./database.ts";\n` : ""}import { tidyFiles } from "./kit/app/tidy-files.ts";

await tidyFiles([${columns.join(", ")}]${given});
`;
}

/** What a start needs of `database.ts`, and what it hands on: a database in a file has an address of its own. */
function startingWith(model: Model, ...names: string[]): [string, string] {
  return databaseCodes[model.app.database].usual
    ? [["defaultAddress", ...names].join(", "), ", defaultAddress"]
    : [names.join(", "), ""];
}
