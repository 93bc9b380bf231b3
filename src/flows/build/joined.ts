import { join } from "node:path";
import type { Renames } from "../../core/appgen/renames.ts";
import type { Compiler } from "../../io/compiler/compiler.ts";
import { readText } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import { type Edited, type EditedFile, editedFile, hasOffer, type Joining } from "./edited.ts";
import { type ChangedFile, formattedAsFound } from "./formatted.ts";

/**
 * Joins edited files with what is generated for them. One that doesn't compile then is tried again with the names that
 * somebody wrote as they are, and is a conflict where that doesn't compile either. `texts` are the other files that the build
 * writes, by path; null for those that go. `unchecked` says that the compiler couldn't be started.
 */
export async function joinedFiles(
  project: Project,
  renames: Renames,
  files: readonly EditedFile[],
  texts: ReadonlyMap<string, string | null>,
  compiler: () => Compiler,
): Promise<{ joined: Map<EditedFile, Edited>; unchecked: boolean }> {
  const joined = new Map<EditedFile, Edited>();
  let unchecked = false;
  const joinings = new Map<EditedFile, Joining>();
  let next = files;
  while (next.length > 0) {
    for (const file of next) {
      joined.set(file, await editedFile(project, file, joinings.get(file) ?? { renames }));
    }
    const [wrong, formatted] = await Promise.all([
      wrongFiles(project, joined, texts, compiler),
      formattedAsFound(changedFiles(project, next, joined)),
    ]);
    if (!wrong) unchecked = true;
    for (const [file, conflict] of wrong ?? []) {
      const isTried = renames.isEmpty || joinings.get(file)?.keepsOwnLines;
      joinings.set(file, isTried ? { renames, conflict } : { renames, keepsOwnLines: true });
    }
    for (const file of next) {
      const edited = joined.get(file);
      const text = formatted.get(file.path);
      if (edited && text !== undefined) joined.set(file, { ...edited, text });
    }
    next = [...(wrong?.keys() ?? [])];
  }
  return { joined, unchecked };
}

/** Those of some files in which something is joined. */
function changedFiles(
  { app }: Project,
  files: readonly EditedFile[],
  joined: ReadonlyMap<EditedFile, Edited>,
): ChangedFile[] {
  return files.flatMap((file) => {
    const { outcome, text } = joined.get(file) ?? {};
    const found = readText(join(app, file.from)) ?? "";
    return outcome === "merged" && text !== undefined ? [{ path: file.path, found, text }] : [];
  });
}

/**
 * Joined files that the compiler refuses for something that it didn't find before, with what it says; undefined where it can't
 * be started. Where a conflict is left from an earlier build, the application is no longer as it was before that one: such a
 * file is joined when the compiler finds nothing in it at all.
 */
async function wrongFiles(
  project: Project,
  joined: ReadonlyMap<EditedFile, Edited>,
  texts: ReadonlyMap<string, string | null>,
  compiler: () => Compiler,
): Promise<Map<EditedFile, string> | undefined> {
  const merged = [...joined].filter(
    ([{ path }, { outcome }]) => outcome === "merged" && /\.tsx?$/.test(path),
  );
  const { app } = project;
  const wrong = new Map<EditedFile, string>();
  if (merged.length === 0) return wrong;
  const seen = new Map(texts);
  for (const [{ path, from }, { text }] of joined) {
    if (from !== path && !texts.has(from)) seen.set(from, null);
    const now = text ?? (from === path ? undefined : readText(join(app, from)));
    if (now !== undefined) seen.set(path, now);
  }
  const found = await compiler().errors(
    seen,
    merged.map(([{ path }]) => path),
  );
  const suspects = merged.filter(([{ path }]) => found?.get(path)?.length);
  if (!found) return undefined;
  if (suspects.length === 0) return wrong;
  const before = await compiler().errors(
    new Map(),
    suspects.map(([{ from }]) => from),
  );
  for (const [file] of suspects) {
    const errors = hasOffer(project, file.from, file.known) ? [] : before?.get(file.from);
    const known = (errors ?? []).map(({ code }) => code);
    const added = (found.get(file.path) ?? []).find(({ code }) => {
      const at = known.indexOf(code);
      if (at >= 0) known.splice(at, 1);
      return at < 0;
    });
    if (added) wrong.set(file, `joined, it doesn't compile: ${added.text}`);
  }
  return wrong;
}
