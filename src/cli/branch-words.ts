import ansis from "ansis";
import type { BranchContent } from "../flows/build/branch.ts";
import { impactsText } from "./changes-words.ts";
import { shown } from "./terminal.ts";
import { count } from "./words.ts";

/** The longest first line of a message, as git shows it in one line. */
const longestSubject = 72;

/** The message of a commit with a migration and an application: what it came from, and what it does. */
export function branchMessage(content: BranchContent): string {
  const { model, prepared } = content;
  const parts = [subjectOf(content)];
  if (model.length > 0) parts.push(["Changes of the model:", ...model.map(item)].join("\n"));
  if (prepared) {
    const text = ansis.strip(impactsText(shown(prepared.impacts)));
    parts.push(`Migration ${prepared.name}, and what it does to the rows:`, text);
    if (prepared.uncounted) parts.push(`The rows weren't counted: ${prepared.uncounted}`);
  }
  parts.push([`Application: ${builtSummary(content)}`, ...editedLines(content)].join("\n"));
  return `${parts.join("\n\n")}\n`;
}

/** What is new comes first, as far as there is something. */
function subjectOf({ model, prepared }: BranchContent): string {
  const all = model.length > 0 ? model : (prepared?.steps ?? []);
  const first = all.find((sentence) => !sentence.endsWith(" changed")) ?? all[0];
  if (first === undefined) return "Build the application again";
  const more = all.length > 1 ? `, and ${count(all.length - 1, "more change")}` : "";
  const room = longestSubject - more.length;
  const head = first.length > room ? `${first.slice(0, room - 1)}…` : first;
  return `${head.charAt(0).toUpperCase()}${head.slice(1)}${more}`;
}

/** What was done to the files, in numbers. */
export function builtSummary({ built }: BranchContent): string {
  const { written, removed, merged, conflicts } = built;
  const parts = [
    `${count(written, "file")} written`,
    ...(removed > 0 ? [`${removed} removed`] : []),
    ...(merged.length > 0 ? [`${merged.length} merged`] : []),
    ...(conflicts.length > 0 ? [`${conflicts.length} in conflict`] : []),
  ];
  return parts.join(", ");
}

/** The files that somebody edited, which a reviewer looks at first. */
export function editedLines({ built }: BranchContent): string[] {
  const about: Partial<Record<(typeof built)["changes"][number]["state"], string>> = {
    merged: "merged into",
    renamed: "new names in",
    conflict: "in conflict:",
  };
  return built.changes.flatMap(({ path, state, why }) => {
    const words = about[state];
    return words === undefined ? [] : [item(`${words} app/${path}${why ? ` (${why})` : ""}`)];
  });
}

const item = (text: string) => `- ${text}`;
