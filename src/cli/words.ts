import { basename, dirname, relative } from "node:path";
import ansis from "ansis";
import type { Failure } from "../core/failure.ts";
import type { Pointed } from "../core/model/diagnostics.ts";
import type { FileChange } from "../flows/build/plan.ts";
import type { Loaded } from "../flows/import/loaded.ts";
import type { Finding, FlowEvent, HostEvent } from "../flows/report.ts";
import { tell, warn } from "./output.ts";
import { endWork, showProgress, showWork } from "./progress.ts";
import { shown, write } from "./terminal.ts";

/** A count with its noun. */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString("en")} ${number === 1 ? one : many}`;
}

/** What to do next, at the end of a command. */
export function next(command: string, why: string): string {
  return `\n${ansis.dim("Next:")} ${ansis.bold(command)}  ${ansis.dim(why)}`;
}

/** A line about something that was done. */
export function done(what: string, detail = ""): string {
  return `${ansis.green("✓")} ${what}${detail && `  ${ansis.dim(detail)}`}`;
}

/** A line about something that a person should know. */
export function warning(what: string): string {
  return `${ansis.yellow("!")} ${what}`;
}

/** Columns with two spaces between them. */
export function table(rows: readonly (readonly string[])[]): string {
  const widths = (rows[0] ?? []).map((_, column) =>
    Math.max(...rows.map((row) => [...ansis.strip(row[column] ?? "")].length)),
  );
  return rows
    .map((row) =>
      row
        .map(
          (cell, column) =>
            cell + " ".repeat((widths[column] ?? 0) - [...ansis.strip(cell)].length),
        )
        .join("  ")
        .trimEnd(),
    )
    .join("\n");
}

/** A diagnostic, with its line and a marker under the place. */
export function diagnosticText({ severity, where, message, line, marker, help }: Pointed): string {
  const color = severity === "error" ? ansis.red : ansis.yellow;
  const number = where.split(":")[1] ?? "";
  const gutter = " ".repeat(number.length);
  return [
    `${ansis.bold(where)}: ${color(severity)}: ${message}`,
    `  ${ansis.dim(`${number} |`)} ${line}`,
    `  ${ansis.dim(`${gutter} |`)} ${color(marker)}${help ? ` ${help}` : ""}`,
  ].join("\n");
}

/** Prints a failure where errors go. */
export function printFailure(failure: Failure): void {
  endWork();
  const { message, help, details } = shown({ ...failure, message: failure.message });
  const pointed = Array.isArray(details) ? (details as Pointed[]) : [];
  const lines = [
    ...pointed.map((diagnostic) => `${diagnosticText(diagnostic)}\n`),
    `${ansis.red("✗")} ${message}`,
    ...(help ? [`  ${help}`] : []),
  ];
  write(process.stderr, `${lines.join("\n")}\n`);
}

/** Prints what a flow tells. */
export function printEvent(event: FlowEvent): void {
  if (event.kind === "working") {
    showWork(event.on, event);
    return;
  }
  if (event.kind === "progress") {
    showProgress(event.on, event.rows, event.share);
    return;
  }
  endWork();
  if (event.kind === "trouble") {
    const { error, runs } = event;
    printFailure(error as Failure);
    const state = runs
      ? "is still running as before"
      : "doesn't run; the next save starts it again";
    write(process.stderr, `  The application ${state}.\n`);
    return;
  }
  const { before = [], told = [], warned = [] } = eventLines(shown(event));
  if (before.length > 0) warn(before.join("\n"));
  if (told.length > 0) tell(told.join("\n"));
  if (warned.length > 0) warn(warned.join("\n"));
}

/** The most files of which each is named where nothing became of them. */
const mostNamed = 10;

/** What to know of files that aren't simply written as they are generated. */
function fileWarnings(changes: readonly FileChange[]): string[] {
  const kept = changes.filter(({ state }) => state === "kept");
  if (kept.length <= mostNamed) return changes.flatMap(fileWarning);
  const others = changes.filter(({ state }) => state !== "kept");
  const words = `${kept.length} files of app/ were edited by hand and stay as they are; \`levadura build --dry-run\` names them`;
  return [warning(words), ...others.flatMap(fileWarning)];
}

/** What to know of a file that isn't simply written as it is generated. */
function fileWarning({ path, from, state, why }: FileChange): string[] {
  const file = `app/${path}`;
  const moved = from === undefined ? file : `app/${from} is ${file} now`;
  const and = from === undefined ? "" : ", and";
  switch (state) {
    case "new":
    case "replaced":
    case "removed":
      return [];
    case "kept":
      return [warning(`${file} was edited by hand and stays as it is`)];
    case "merged":
      return [warning(`${moved}${and} was edited by hand: what is new was merged into it`)];
    case "renamed":
      return [warning(from === undefined ? `${file} has the new names` : moved)];
    case "deleted":
      return [warning(`${file} was deleted by hand and isn't written again`)];
    case "conflict":
      return [
        warning(
          `${moved}${and} was edited by hand where something is new, and stays as it is: ${why}`,
        ),
        `  Copy what you want from ${file}.offered, then delete that file.`,
      ];
  }
}

/** The words for each event: what was done, and what to know about it. */
function eventLines(event: Exclude<FlowEvent, { kind: "trouble" | "working" | "progress" }>): {
  before?: string[];
  told?: string[];
  warned?: string[];
} {
  switch (event.kind) {
    case "prepared":
      return { told: [done(`Prepared migrations/${event.name}`, stepsText(event.steps))] };
    case "applied": {
      const { told, warned } = findingLines(event.findings);
      return { told: [done(`Applied ${event.name}`), ...told], warned };
    }
    case "rewound": {
      const { told, warned } = findingLines(event.findings);
      return { told: [done(`Reverted ${event.name}`), ...told], warned };
    }
    case "imported":
      return {
        told: [
          done(
            `Imported ${event.name}`,
            `${count(event.rows, "row")} = ${event.kept} kept + ${event.setAside} set aside`,
          ),
        ],
      };
    case "set aside":
      return {
        told: [
          done(
            `Set aside ${count(event.count, "cell or row", "cells and rows")}`,
            `with the reasons in ${event.path}`,
          ),
        ],
      };
    case "loaded":
      return {
        told: [done(`Loaded ${event.plural}`, loadedSummary(event))],
        warned: conflictLines(event),
      };
    case "kept rows":
      return {
        told: [
          done("Kept the rows that were deleted", `in ${relative(process.cwd(), event.folder)}`),
        ],
      };
    case "seeded":
      return { told: [done(`Seeded ${event.entity}`, count(event.rows, "row"))] };
    case "seeded people":
      return {
        told: [
          done(
            `Made ${event.people === 1 ? "1 sample person" : `${event.people} sample people`}`,
            "sign in as them under levadura rise",
          ),
        ],
      };
    case "unseeded":
      return {
        warned: [
          warning(`No sample rows: ${shown(event.error.message)}`),
          ...(event.error.help ? [`  ${shown(event.error.help)}`] : []),
        ],
      };
    case "written":
      return { told: [done(`Wrote ${event.entity}`, count(event.rows, "row"))] };
    case "built": {
      const { written, removed, changes } = event;
      const renamed = changes.filter(({ state }) => state === "renamed").length;
      const changed = [
        `${count(written, "file")} written`,
        ...(removed > 0 ? [`${removed} removed`] : []),
      ];
      return {
        told: [
          written + removed + renamed + event.merged.length > 0
            ? done("Built app/", changed.join(", "))
            : done("app/ is up to date already"),
        ],
        warned: [
          ...fileWarnings(changes),
          ...(event.unchecked
            ? [warning("What was merged wasn't compiled: TypeScript couldn't be started")]
            : []),
        ],
      };
    }
    case "serving":
      return {
        told: [done(`Open ${ansis.bold(event.address)}`)],
        ...(event.port !== event.wantedPort && {
          before: [warning(`Port ${event.wantedPort} is in use; using ${event.port} instead`)],
        }),
      };
    case "welcome":
      return {
        told: [done(`The first administrator chooses a password at ${ansis.bold(event.address)}`)],
      };
    case "sample people": {
      const groups = event.groups.join(", ");
      return {
        told: [done(`Sign in as a sample person at ${ansis.bold(event.address)}`, groups)],
      };
    }
    case "died": {
      const how = event.status === null ? "by a signal" : `with status ${event.status}`;
      const pause = `${(event.pause / 1000).toLocaleString("en")} s`;
      return { warned: [warning(`The application ended ${how}. It restarts in ${pause}.`)] };
    }
    case "watching":
      return {
        told: [ansis.dim(`Watching ${event.file}: save it, and the page follows. Ctrl-C ends.`)],
      };
    case "restarted":
      return { told: [done("Reloaded", `${event.milliseconds} ms`)] };
    case "waiting":
      return {
        warned: [
          warning(
            `${count(event.changes.length, "change waits", "changes wait")}, because existing rows may violate ${event.changes.length === 1 ? "it" : "them"}:`,
          ),
          ...event.changes.map((change) => `    ${change}`),
        ],
      };
    case "sent": {
      if (event.files === 0) return { told: [done("Sent nothing", "the host has all files")] };
      const files = `${event.files.toLocaleString("en")} of ${count(event.of, "file")}`;
      return { told: [done(`Sent ${files}`, size(event.bytes))] };
    }
    case "on host":
      return hostLines(event.event);
    case "hosting":
      return {
        told: [
          done(`Applications can be published to ${ansis.bold(event.address)}`, event.folder),
          ansis.dim(`One is reached by its name, such as ${event.example}`),
        ],
      };
    case "trouble on host":
      return { warned: [warning(event.text)] };
    case "stopped":
      return { told: ["Stopped."] };
  }
}

/** The words for what a host did. */
function hostLines(event: HostEvent): { told?: string[]; warned?: string[] } {
  switch (event.kind) {
    case "working":
    case "failed":
      return {};
    case "backed up":
      return { told: [done(`Backed up the data as ${event.name}`, size(event.bytes))] };
    case "migrated":
      return { told: [done(event.text.replace(/\.$/, ""))] };
    case "left":
      return { warned: [warning(event.text), "  The next `levadura publish` tries it again."] };
    case "waited": {
      const seconds = (event.milliseconds / 1000).toLocaleString("en", {
        maximumFractionDigits: 1,
      });
      return { told: [done(`Requests waited for ${seconds} s, and none was refused`)] };
    }
    case "done":
      return { told: [done(`Version ${event.number} answers at ${ansis.bold(event.address)}`)] };
  }
}

/** A moment of a machine, in the time of whoever reads it. */
export function moment(text: string): string {
  return new Date(text).toLocaleString("sv", { dateStyle: "short", timeStyle: "short" });
}

/** How large something is, for people. */
export function size(bytes: number): string {
  const [value, unit] = bytes < 1_000_000 ? [bytes / 1000, "kB"] : [bytes / 1_000_000, "MB"];
  return `${value.toLocaleString("en", { maximumFractionDigits: 1 })} ${unit}`;
}

/** What became of the rows of a data file, in a line. */
function loadedSummary({ rows, added, changed, missing, conflicts }: Loaded): string {
  if (added === rows) return count(rows, "row");
  const parts = [
    [added, "new"],
    [changed, "changed"],
    [conflicts, "kept as changed in the application"],
    [missing, "not in the file, and kept"],
  ] as const;
  const said = parts
    .filter(([number]) => number > 0)
    .map(([number, words]) => `${number.toLocaleString("en")} ${words}`);
  return `${count(rows, "row")}: ${said.join(", ") || "nothing new"}`;
}

/** What stayed as somebody changed it in the application, with both values. */
export function conflictLines({ plural, firstConflicts }: Loaded): string[] {
  return firstConflicts.map(({ key, column, stored, incoming }) =>
    warning(
      `${plural}, ${key}: ${column} stays ${JSON.stringify(stored)}, because somebody changed it; the file has ${JSON.stringify(incoming)}`,
    ),
  );
}

/** The first steps of a migration, in a line. */
export function stepsText(steps: readonly string[]): string {
  const more = steps.length > 2 ? `, and ${steps.length - 2} more` : "";
  return steps.slice(0, 2).join(", ") + more;
}

/** What was found while a migration ran, in lines below it. */
function findingLines(findings: readonly Finding[]): { told: string[]; warned: string[] } {
  const files = (kind: "kept" | "brought back") =>
    findings.flatMap((finding) => (finding.kind === kind ? [finding] : []));
  const lines = (["kept", "brought back"] as const).flatMap((kind) => {
    const [first] = files(kind);
    if (!first) return [];
    const place = relative(process.cwd(), dirname(first.file));
    const names = files(kind).map(
      ({ file, rows }) => `${basename(file, ".jsonl.gz")} (${count(rows, "row")})`,
    );
    return [`    ${kind === "kept" ? "kept in" : "restored from"} ${place}: ${names.join(", ")}`];
  });
  const left = findings.flatMap((finding) =>
    finding.kind === "not brought back"
      ? [
          `    ${warning(`the values kept when it was reverted aren't in the database again: \`levadura restore ${basename(finding.folder)}\` puts back those that fit`)}`,
        ]
      : [],
  );
  const newer = findings.flatMap((finding) => {
    if (finding.kind !== "newer rows") return [];
    const table = finding.table.replace(/^["`]|["`]$/g, "");
    const rows = finding.first.map((id) => `row ${id}`).join(", ");
    const more = finding.count > finding.first.length ? ", …" : "";
    return [
      `    ${warning(`${count(finding.count, "row")} of ${table} ${finding.count === 1 ? "was" : "were"} added since, and ${finding.count === 1 ? "has" : "have"} no value there: ${rows}${more}`)}`,
    ];
  });
  return { told: lines, warned: [...left, ...newer] };
}
