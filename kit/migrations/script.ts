/**
 * A piece of a migration's script: statements, or something that the runner does, which is written as a
 * comment. A comment's further lines are indented by three spaces.
 */
export type ScriptPart =
  | { kind: "run"; sql: string }
  /** Streams the rows of a query on a table, or the values of one of its columns, into a file. */
  | { kind: "keep"; file: string; table: string; column?: string; query: string }
  /** Makes a temporary table of such a file. */
  | { kind: "bring back"; file: string; table: string }
  /** Ends the migration when the query has rows, which have an `id` and a `value`. */
  | { kind: "assert no rows"; sentence: string; query: string }
  /** Remembers what somebody added to a table by hand, besides the columns that it is known to have. */
  | { kind: "hold triggers"; table: string; columns: string[] }
  /** Puts back what is gone of it. */
  | { kind: "return triggers"; table: string }
  /** Something that nobody wrote SQL for. */
  | { kind: "no way"; about: string }
  /** Where the parts of a step begin. */
  | { kind: "step"; number: number };

const directives: readonly (readonly [RegExp, (found: (string | undefined)[]) => ScriptPart])[] = [
  [
    /^keep (\S+) of (.+?)(?: \((.+?)\))?: (.+)$/su,
    ([file = "", table = "", column, query = ""]) => ({
      kind: "keep",
      file,
      table,
      ...(column && { column }),
      query,
    }),
  ],
  [
    /^bring back (\S+) as (.+)$/u,
    ([file = "", table = ""]) => ({ kind: "bring back", file, table }),
  ],
  [
    /^assert no rows \((.+?)\): (.+)$/su,
    ([sentence = "", query = ""]) => ({ kind: "assert no rows", sentence, query }),
  ],
  [/^there is no SQL for this: (.+)$/su, ([about = ""]) => ({ kind: "no way", about })],
  [/^step (\d+): /u, ([number]) => ({ kind: "step", number: Number(number) })],
  [
    /^hold triggers of (.+?)(?: with (.+))?$/su,
    ([table = "", columns = ""]) => ({
      kind: "hold triggers",
      table,
      columns: columns.split(/,\s*/).filter(Boolean),
    }),
  ],
  [/^return triggers of (.+)$/u, ([table = ""]) => ({ kind: "return triggers", table })],
];

/** The parts of a script, in order. Comments that mean nothing here stay with the statements. */
export function parseScript(text: string): ScriptPart[] {
  const parts: ScriptPart[] = [];
  let sql: string[] = [];
  const flush = () => {
    const statements = sql.join("\n");
    if (/^\s*(?!--)\S/m.test(statements)) parts.push({ kind: "run", sql: statements });
    sql = [];
  };
  const lines = text.split(/\r?\n/);
  for (let at = 0; at < lines.length; at++) {
    const line = lines[at] ?? "";
    if (!line.startsWith("-- ")) {
      sql.push(line);
      continue;
    }
    let last = at;
    while (lines[last + 1]?.startsWith("--   ")) last++;
    const comment = lines.slice(at, last + 1);
    at = last;
    const text = [line.slice(3), ...comment.slice(1).map((more) => more.slice(5))].join("\n");
    const part = directive(text.replace(/;$/, ""));
    if (!part) {
      sql.push(...comment);
      continue;
    }
    flush();
    parts.push(part);
  }
  flush();
  return parts;
}

function directive(text: string): ScriptPart | undefined {
  for (const [pattern, make] of directives) {
    const found = pattern.exec(text);
    if (found) return make(found.slice(1));
  }
  return undefined;
}
