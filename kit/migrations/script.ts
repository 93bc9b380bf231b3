import type { ScriptPart } from "./script-part.ts";

type Directive = Exclude<ScriptPart, { kind: "run" }>;

/** How each directive is read; what is found in its pattern makes the part. */
const directives: {
  readonly [Kind in Directive["kind"]]: {
    pattern: RegExp;
    made(found: readonly (string | undefined)[]): Extract<Directive, { kind: Kind }>;
  };
} = {
  keep: {
    pattern: /^keep (\S+) of (.+?)(?: \((.+?)\))?: (.+)$/su,
    made: ([file = "", table = "", column, query = ""]) => ({
      kind: "keep",
      file,
      table,
      ...(column && { column }),
      query,
    }),
  },
  "bring back": {
    pattern: /^bring back (\S+) as (.+)$/u,
    made: ([file = "", table = ""]) => ({ kind: "bring back", file, table }),
  },
  "assert no rows": {
    pattern: /^assert no rows \((.+?)\): (.+)$/su,
    made: ([sentence = "", query = ""]) => ({ kind: "assert no rows", sentence, query }),
  },
  "no way": {
    pattern: /^there is no SQL for this: (.+)$/su,
    made: ([about = ""]) => ({ kind: "no way", about }),
  },
  step: {
    pattern: /^step (\d+): /u,
    made: ([number]) => ({ kind: "step", number: Number(number) }),
  },
  "hold triggers": {
    pattern: /^hold triggers of (.+?)(?: with (.+))?$/su,
    made: ([table = "", columns = ""]) => ({
      kind: "hold triggers",
      table,
      columns: columns.split(/,\s*/).filter(Boolean),
    }),
  },
  "return triggers": {
    pattern: /^return triggers of (.+)$/u,
    made: ([table = ""]) => ({ kind: "return triggers", table }),
  },
};

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
  for (const { pattern, made } of Object.values(directives)) {
    const found = pattern.exec(text);
    if (found) return made(found.slice(1));
  }
  return undefined;
}
