import { existsSync } from "node:fs";
import { join } from "node:path";
import { mergedText } from "../../core/appgen/merge.ts";
import type { Renames } from "../../core/appgen/renames.ts";
import { parses } from "../../io/formatting/parses.ts";
import { readText, type Write } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import {
  copyPath,
  type FileRecord,
  fileChecksum,
  readCopy,
  textChecksum,
} from "../../io/project/record.ts";

/** A file that somebody edited. */
export interface EditedFile {
  path: string;
  /** The path that it has on the disk, which is another one where its entity was renamed. */
  from: string;
  known: FileRecord;
  /** What is generated for it by now, and the checksums of that. */
  fresh: { text: string; source: string; written: string };
}

/** How far somebody's file and what is generated for it are joined. */
export interface Joining {
  renames: Renames;
  /** Whether lines that somebody wrote keep names that were changed in the model. */
  keepsOwnLines?: boolean;
  /** Why they are not joined at all. */
  conflict?: string;
}

/** What becomes of a file that somebody edited when it is generated again. */
export interface Edited {
  /**
   * `kept`: nothing new was generated for it, or it has that already; `merged`: both changes are in it; `conflict`: the
   * changes meet, so that it stays, and what was generated stands beside it.
   */
  outcome: "kept" | "merged" | "conflict";
  /** Why there is a conflict. */
  why?: string;
  record: FileRecord;
  /** The text that it gets; undefined where it stays as it is. */
  text?: string;
  /** What is written beside it. */
  writes: Write[];
}

/** The end of the name of a file that stands beside an edited one. No tool takes it for source. */
const offeredEnd = ".offered";

/**
 * Merges what is generated for a file by now into what somebody made of it, against what was generated last. First both get
 * the names that the model gave to what they are about.
 */
export async function editedFile(
  project: Project,
  { path, from, known, fresh: { text, source, written } }: EditedFile,
  { renames, keepsOwnLines = false, conflict }: Joining,
): Promise<Edited> {
  const beside = join(project.app, `${from}${offeredEnd}`);
  const offeredCopy = copyPath(project, `${from}${offeredEnd}`);
  const there = fileChecksum(beside);
  // Whoever took the file beside away has taken over of it what they wanted.
  const isSettled = known.offered !== undefined && !hasOffer(project, from, known);
  const copy = isSettled ? readText(offeredCopy) : readCopy(project, from);
  const found = readText(join(project.app, from)) ?? "";
  const renamed = renames.inFile({ path, base: copy, mine: found, fresh: text, keepsOwnLines });
  // What can't be read as it is gets the names too: files that use it have them.
  const isSound =
    renamed.mine === found || (await parses(path, renamed.mine)) || !(await parses(path, found));
  const mine = isSound ? renamed.mine : found;
  const changed = (now: string) => (now === found ? {} : { text: now });
  if (copy === undefined) return { outcome: "kept", record: known, ...changed(mine), writes: [] };
  const { base } = renamed;
  const cleared = withoutOffer(project, from, known);
  const record: FileRecord = { source, written };
  const isOld = textChecksum(copy) === written;
  const copied: Write[] =
    isOld && !isSettled && from === path ? [] : [{ path: copyPath(project, path), text }];
  const merged = isOld ? mine : mergedText(base, mine, text);
  if (merged !== undefined && conflict === undefined && (isOld || (await parses(path, merged)))) {
    return {
      outcome: merged === found ? "kept" : "merged",
      record,
      ...changed(merged),
      writes: [...copied, ...cleared],
    };
  }
  // What somebody edited beside is theirs, and isn't written over.
  const isOurs = there === undefined || there === known.offered;
  const needsCopy = isSettled || mine !== found || from !== path;
  const parted = mine !== found || from !== path ? base : copy;
  return {
    outcome: "conflict",
    why:
      conflict ??
      (merged === undefined ? "both changed the same lines" : "joined, it can't be read"),
    record: { ...known, ...(needsCopy && { written: textChecksum(parted) }), offered: written },
    ...changed(mine),
    writes: [
      ...(needsCopy ? [{ path: copyPath(project, path), text: parted }] : []),
      ...(isOurs && from !== path ? cleared : []),
      ...(isOurs ? [{ path: join(project.app, `${path}${offeredEnd}`), text }] : []),
      { path: copyPath(project, `${path}${offeredEnd}`), text },
    ],
  };
}

/** Whether a conflict is left from an earlier build: what was generated then still stands beside the file. */
export function hasOffer({ app }: Project, path: string, known: FileRecord): boolean {
  return known.offered !== undefined && existsSync(join(app, `${path}${offeredEnd}`));
}

/** Takes away what stands beside a file, where it is no longer needed; what somebody edited of it stays. */
export function withoutOffer(project: Project, path: string, known: FileRecord): Write[] {
  if (known.offered === undefined) return [];
  const beside = join(project.app, `${path}${offeredEnd}`);
  return [
    ...(fileChecksum(beside) === known.offered ? [{ path: beside, text: null }] : []),
    { path: copyPath(project, `${path}${offeredEnd}`), text: null },
  ];
}
