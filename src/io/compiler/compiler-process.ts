// The process that compiles the application of its first argument with the packages of its second: it reads orders, each a line
// of JSON, and answers each by a line. The compiler says things on standard error that nobody asked for, so it can't run in
// the process of a command.
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { createInterface } from "node:readline";
import type { FileSystem } from "typescript/unstable/fs";
import { API } from "typescript/unstable/sync";
import type { CompileError, CompilerOrder } from "./compiler.ts";

/** The most characters of what the compiler says: types can be very long. */
const longestText = 300;

/** The settings of the compiler, which are in no file. */
const settings = "tsconfig.merged.json";

/** What all files of entities lead to, which is read before anything is asked. */
const firstRead = ["src/kit/entity/entity.ts"];

type Texts = Map<string, string | null>;

/** An application as the compiler sees it. */
class Seen {
  readonly #root: string;
  readonly #api: API;
  /** The texts that files have in the place of those on the disk; null for those that go. */
  #texts: Texts = new Map();

  constructor(
    readonly app: string,
    packages: string,
  ) {
    // Without packages of its own, it finds Levadura's: seen from the compiler, it is beside them.
    const hasPackages = isFolder(join(app, "node_modules"));
    this.#root = hasPackages ? app : join(dirname(packages), ".seen", "app");
    const fs = seenFrom(this.#root, app, () => this.#texts);
    this.#api = new API({ cwd: this.#root, fs });
    this.#projectOf(firstRead.filter((path) => isFile(join(app, path))));
  }

  /** What is wrong in each of the files of an order. */
  answer({ texts, paths }: CompilerOrder): CompileError[][] {
    const before = this.#texts;
    this.#texts = new Map(texts);
    const project = this.#projectOf(paths, [...before.keys(), ...this.#texts.keys()]);
    return paths.map((path) => {
      const text = this.#texts.get(path) ?? readOrNull(join(this.app, path)) ?? "";
      const line = (at: number) => text.slice(0, at).split("\n").length;
      const found = project?.program.getSemanticDiagnostics(join(this.#root, path)) ?? [];
      return found.map((each) => ({
        code: each.code,
        text: `${line(each.pos)}: ${each.text.slice(0, longestText)}`,
      }));
    });
  }

  close(): void {
    this.#api.close();
  }

  /** A project of nothing but some files and what they lead to, its settings in no file. `touched` may be others than before. */
  #projectOf(paths: readonly string[], touched: readonly string[] = []) {
    const narrow = { extends: "./tsconfig.json", include: [], files: paths };
    this.#texts.set(settings, JSON.stringify(narrow));
    const name = join(this.#root, settings);
    const changes = { changed: [name], created: [] as string[], deleted: [] as string[] };
    for (const path of new Set(touched)) {
      if (path === settings) continue;
      const isOnDisk = isFile(join(this.app, path));
      const isThere = this.#texts.has(path) ? this.#texts.get(path) !== null : isOnDisk;
      const list = !isThere ? "deleted" : isOnDisk ? "changed" : "created";
      changes[list].push(join(this.#root, path));
    }
    return this.#api
      .updateSnapshot({ openProjects: [name], fileChanges: changes })
      .getProject(name);
  }
}

/** The files as the compiler sees them. It is asked for every path; undefined means the one on the disk. */
function seenFrom(root: string, app: string, textsNow: () => Texts): FileSystem {
  const within = (path: string) =>
    path.startsWith(`${root}/`) || path === root ? path.slice(root.length + 1) : undefined;
  const isOther = (path: string) => path.startsWith("node_modules/");
  return {
    readFile: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      const texts = textsNow();
      return texts.has(place) ? texts.get(place) : readOrNull(join(app, place));
    },
    fileExists: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      const texts = textsNow();
      return texts.has(place) ? texts.get(place) !== null : isFile(join(app, place));
    },
    directoryExists: (path) => {
      if (root !== app && path === dirname(root)) return true;
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return foldersOf(textsNow()).has(place) || isFolder(join(app, place));
    },
    getAccessibleEntries: (path) => {
      const place = within(path);
      if (place === undefined || isOther(place)) return undefined;
      return entriesOf(app, place, textsNow());
    },
    realpath: (path) => (root === app || within(path) === undefined ? undefined : path),
  };
}

const foldersKnown = new WeakMap<Texts, ReadonlySet<string>>();

/** The folders in which there are texts. */
function foldersOf(texts: Texts): ReadonlySet<string> {
  const known = foldersKnown.get(texts);
  if (known) return known;
  const folders = new Set<string>();
  for (const [path, text] of texts) {
    if (text === null) continue;
    for (let place = dirname(path); place !== "."; place = dirname(place)) folders.add(place);
  }
  foldersKnown.set(texts, folders);
  return folders;
}

function entriesOf(
  app: string,
  place: string,
  texts: Texts,
): { files: string[]; directories: string[] } {
  const found = isFolder(join(app, place))
    ? readdirSync(join(app, place), { withFileTypes: true })
    : [];
  const files = new Set(found.filter((entry) => entry.isFile()).map(({ name }) => name));
  const directories = new Set(found.filter((entry) => entry.isDirectory()).map(({ name }) => name));
  for (const folder of foldersOf(texts)) {
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

const [app = "", packages = ""] = process.argv.slice(2);
const seen = new Seen(app, packages);
for await (const line of createInterface({ input: process.stdin })) {
  writeFileSync(1, `${JSON.stringify(seen.answer(JSON.parse(line)))}\n`);
}
seen.close();
