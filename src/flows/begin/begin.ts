import { existsSync, readdirSync, statSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import { Failure } from "../../core/failure.ts";
import { modelJsonSchema } from "../../core/model/shapes.ts";
import { capitalized, words } from "../../core/naming/words.ts";
import { fileFailure, type Write, writeAll } from "../../io/project/files.ts";

/** Starts a project in a folder that is new or empty. Returns the files that it wrote. */
export function beginProject(folder: string, name?: string): { root: string; files: string[] } {
  const root = resolve(folder);
  refuseFilled(root);
  const title = name ?? capitalized(words(basename(root)).join(" "));
  const writes = projectFiles(title).map(({ path, text }) => ({ path: join(root, path), text }));
  writeAll(writes);
  return { root, files: projectFiles(title).map(({ path }) => path) };
}

function refuseFilled(root: string): void {
  if (!existsSync(root)) return;
  if (!statSync(root).isDirectory()) {
    throw new Failure("usage", `${root} is a file`, "name a folder that is new or empty");
  }
  let found: string[];
  try {
    found = readdirSync(root).filter((entry) => entry !== ".git");
  } catch (error) {
    throw fileFailure("read", root, error);
  }
  if (found.length === 0) return;
  const some = found.slice(0, 3).join(", ");
  throw new Failure(
    "usage",
    `the folder ${root} is not empty: it has ${some}${found.length > 3 ? " and more" : ""}`,
    "name a folder that is new or empty",
  );
}

/** The files of a new project, apart from its model. */
export function supportFiles(title: string): (Write & { text: string })[] {
  return [
    { path: "README.md", text: readme(title) },
    { path: ".gitignore", text: ignored },
    {
      path: ".levadura/model.schema.json",
      text: `${JSON.stringify(modelJsonSchema(), null, 2)}\n`,
    },
  ];
}

function projectFiles(title: string): (Write & { text: string })[] {
  return [{ path: "model.yaml", text: startingModel(title) }, ...supportFiles(title)];
}

const ignored = `# Rows, and what can be made again, don't belong into version control.
*.db
*.db-shm
*.db-wal
.env
/data/
/files/
/kept/
/.levadura/run/
`;

function readme(title: string): string {
  return `# ${title}

\`model.yaml\` declares the records that are kept here. Levadura makes the rest:

\`\`\`
levadura rise     # check, prepare, migrate, seed when empty, build, serve; then watch the model
levadura check    # report the mistakes in the model
\`\`\`

| path | what it is | commit it? |
|---|---|---|
| \`model.yaml\` | entities, fields, relationships | yes |
| \`migrations/\` | every change of the schema, as steps and SQL | yes |
| \`app/\` | the application: plain TypeScript, yours to change | yes |
| \`.levadura/generated/\` | copies of what was generated, so that your edits are recognised | yes |
| \`records.db\` | the rows | no |
`;
}

function startingModel(title: string): string {
  return `# yaml-language-server: $schema=.levadura/model.schema.json
levadura: 1
app:
  name: ${JSON.stringify(title)}
  language: en
  currency: EUR
  timezone: UTC
  database: sqlite

# An entity is one kind of thing that you keep records of; each becomes a table, a list and a form.
# Change these two, save, and look at the page: \`levadura rise\` follows the model.
entities:
  Place:
    fields:
      name: text 2..60, required, unique
      town: text
      notes: long text

  Visit:
    title: "{place} {date}"
    fields:
      place: one Place, required
      date: date ..today, required, default today
      rating: choice poor | fair | good, default fair
      duration: integer 0..600, unit min
      notes: long text
    sort: date descending
`;
}
