import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { expect } from "vitest";
import { gitIn } from "./git.ts";
import { levadura, type Running, running } from "./program.ts";

/**
 * Goes through a page of the documents as its reader would, in a folder: writes the files whose names stand behind the
 * kind of a block, makes the changes of its diffs, and runs the commands of its consoles. Returns the page with what the
 * commands say now.
 */
export async function followGuide(page: string, folder: string): Promise<string> {
  let followed = page;
  const hosts: Running[] = [];
  const answer = async (args: string[], at: string) => {
    if (args[0] !== "host" || args[1] === "admit") return answerTo(args, at, folder);
    // It goes on while the reader does.
    const host = await running(args, at, { HOME: folder });
    hosts.push(host);
    await host.until("Ctrl-C ends");
    return host.said();
  };
  try {
    for (const [block, kind, about, body = ""] of page.matchAll(/```(\w+)([^\n]*)\n(.*?)```/gs)) {
      const place = about?.trim() ?? "";
      if (kind === "diff") changeFile(join(folder, place || "model.yaml"), body);
      else if (kind === "console") {
        const said = await consoleText(body, join(folder, place), answer);
        followed = followed.replace(
          block,
          () => `\`\`\`console${about}\n${steady(said, folder)}\n\`\`\``,
        );
      } else if (place !== "") {
        mkdirSync(dirname(join(folder, place)), { recursive: true });
        writeFileSync(join(folder, place), body);
      }
    }
  } finally {
    for (const host of hosts) await host.stop();
  }
  return followed;
}

/** The commands of a console with what each says. */
async function consoleText(
  body: string,
  folder: string,
  answer: (args: string[], folder: string) => Promise<string>,
): Promise<string> {
  const said: string[] = [];
  for (const [, program = "", line = ""] of body.matchAll(/^\$ (levadura|git) (.*)$/gm)) {
    const args = argumentsOf(line, folder);
    const told = program === "git" ? gitIn(folder)(...args) : await answer(args, folder);
    said.push(`$ ${program} ${line}\n${told}`.trimEnd());
  }
  return said.join("\n\n");
}

async function answerTo(args: string[], folder: string, home: string): Promise<string> {
  if (args[0] !== "rise") {
    const { out, err, next } = await levadura(args, folder, { env: { HOME: home } });
    return `${out}${err}${next && `\nNext: ${next}\n`}`;
  }
  const program = await running(args, folder);
  await program.until("Watching");
  expect(await program.stop()).toBe(0);
  return program.said();
}

/** The words of a line, as a shell takes them. */
function argumentsOf(line: string, home: string): string[] {
  return [...line.matchAll(/"([^"]*)"|(\S+)/g)].map(([, quoted, plain]) =>
    (quoted ?? plain ?? "").replace(/^~/, home),
  );
}

/** A text with what differs from run to run made the same. */
function steady(text: string, folder: string): string {
  return (
    text
      .replaceAll(folder, "/home/ana")
      // The files of the kit come and go; a reader counts none of them.
      .replace(/(Built app\/ +)\d{3} files/g, "$1540 files")
      .replace(/\d{8}T\d{6,9}Z/g, "20261123T093000000Z")
      .replace(/\d{4}-\d\d-\d\dT[\d:]{8}Z/g, "2026-11-23T09:30:00Z")
      .replace(/Sent \d,\d{3} of [\d,]+ files {2}[\d.,]+ MB/g, "Sent 1,114 of 1,128 files  61.4 MB")
      .replace(/Sent \d+ of [\d,]+ files {2}[\d.,]+ [kM]B/g, "Sent 6 of 1,132 files  1.5 MB")
      .replace(
        /\d{4}-\d\d-\d\dT\d\d-\d\d-\d\d-\d{3} {2}[\d.,]+ [kM]B/g,
        "2026-11-23T09-30-00-000  557.1 kB",
      )
      .replace(/\d{4}-\d\d-\d\d \d\d:\d\d/g, "2026-11-23 09:30")
      .replace(/(\/-\/welcome\/)[\w-]{43}/g, "$1…")
      .replace(/(password is )[\w-]{12}/g, "$1mRk2-x9Qw_4B")
      .replace(/--[0-9a-f]{4}\./g, "--4f2a.")
      .replace(/127\.0\.0\.1:[3-6]\d{4}/g, "127.0.0.1:41234")
      .replace(/waited for [\d.]+ s/g, "waited for 0.9 s")
      .replace(/ +\d+ ms/g, "  12 ms")
      .replace(/^! Port 3000 is in use.*\n/gm, "")
      .replace(/127\.0\.0\.1:30\d\d/g, "127.0.0.1:3000")
  );
}

/** Makes the change of a diff, which has to fit. */
function changeFile(file: string, diff: string): void {
  const lines = diff.trimEnd().split("\n");
  const side = (mark: string) =>
    lines
      .filter((line) => line.startsWith(mark) || line.startsWith(" "))
      .map((line) => line.slice(1))
      .join("\n");
  const text = readFileSync(file, "utf8");
  expect(text).toContain(side("-"));
  writeFileSync(
    file,
    text.replace(side("-"), () => side("+")),
  );
}
