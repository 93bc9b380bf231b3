// The process that compiles: it reads an order as JSON, and writes the answer. The compiler says things on standard error that
// nobody asked for, so it can't run in the process of a command.
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import type { FileSystem } from "typescript/unstable/fs";
import { API } from "typescript/unstable/sync";
import type { CompileError, CompilerOrder } from "./compile-errors.ts";

/** The most characters of what the compiler says: types can be very long. */
const longestText = 300;

/** The settings of the compiler, which are in no file. */
const narrowName = "tsconfig.merged.json";

/** What is wrong in each of the files of an order. */
function answerTo({ app, packages, texts, paths }: CompilerOrder): CompileError[][] {
  // Only what these files lead to is read.
  const narrow = { extends: "./tsconfig.json", include: [], files: paths };
  const changed = new Map([...texts, [narrowName, JSON.stringify(narrow)]]);
  // Without packages of its own, it finds Levadura's: seen from the compiler, it is beside them.
  const hasPackages = isFolder(join(app, "node_modules"));
  const root = hasPackages ? app : join(dirname(packages), ".seen", "app");
  const api = new API({ cwd: root, fs: seenFrom(root, app, changed) });
  const snapshot = api.updateSnapshot({ openProjects: [join(root, narrowName)] });
  const [project] = snapshot.getProjects();
  const answer = paths.map((path) => {
    const text = changed.get(path) ?? readOrNull(join(app, path)) ?? "";
    const line = (at: number) => text.slice(0, at).split("\n").length;
    const found = project?.program.getSemanticDiagnostics(join(root, path)) ?? [];
    return found.map((each) => ({
      code: each.code,
      text: `${line(each.pos)}: ${each.text.slice(0, longestText)}`,
    }));
  });
  api.close();
  return answer;
}

/** The files as the compiler sees them. It is asked for every path; undefined means the one on the disk. */
function seenFrom(
  root: string,
  app: string,
  texts: ReadonlyMap<string, string | null>,
): FileSystem {
  const within = (path: string) =>
    path.startsWith(`${root}/`) || path === root ? path.slice(root.length + 1) : undefined;
  const isOther = (path: string) => path.startsWith("node_modules/");
  const folders = new Set<string>();
  for (const [path, text] of texts) {
    if (text === null) continue;
    for (let place = dirname(path); place !== "."; place = dirname(place)) folders.add(place);
  }
  return {
    readFile: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return texts.has(place) ? texts.get(place) : readOrNull(join(app, place));
    },
    fileExists: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return texts.has(place) ? texts.get(place) !== null : isFile(join(app, place));
    },
    directoryExists: (path) => {
      if (root !== app && path === dirname(root)) return true;
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return folders.has(place) || isFolder(join(app, place));
    },
    getAccessibleEntries: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return entriesOf(app, place, texts, folders);
    },
    realpath: (path) => (root === app || within(path) === undefined ? undefined : path),
  };
}

function entriesOf(
  app: string,
  place: string,
  texts: ReadonlyMap<string, string | null>,
  added: ReadonlySet<string>,
): { files: string[]; directories: string[] } {
  const found = isFolder(join(app, place))
    ? readdirSync(join(app, place), { withFileTypes: true })
    : [];
  const files = new Set(found.filter((entry) => entry.isFile()).map(({ name }) => name));
  const directories = new Set(found.filter((entry) => entry.isDirectory()).map(({ name }) => name));
  for (const folder of added) {
    if (parentOf(folder) === place)
      directories.add(folder.slice(place === "" ? 0 : place.length + 1));
  }
  for (const [path, text] of texts) {
    if (parentOf(path) !== place) continue;
    const name = path.slice(place === "" ? 0 : place.length + 1);
    if (text === null) files.delete(name);
    else files.add(name);
  }
  return { files: [...files], directories: [...directories] };
}

function parentOf(path: string): string {
  const parent = dirname(path);
  return parent === "." ? "" : parent;
}

function readOrNull(path: string): string | null {
  try {
    return readFileSync(path, "utf8");
  } catch {
    return null;
  }
}

function isFile(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isFile() ?? false;
}

function isFolder(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isDirectory() ?? false;
}

writeFileSync(1, JSON.stringify(answerTo(JSON.parse(readFileSync(0, "utf8")))));
