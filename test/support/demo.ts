import { readFileSync } from "node:fs";
import { join } from "node:path";
import { repository } from "./program.ts";

/** The model of the demo; `open` without the people who sign in and their rights. */
export function demoModel({ open = false }: { open?: boolean } = {}): string {
  const text = readFileSync(join(repository, "demo/model.yaml"), "utf8");
  return open ? withoutUsers(text) : text;
}

function withoutUsers(text: string): string {
  return text
    .replace(/^users:\n(?: .*\n|\n)+?(?=^\S)/m, "")
    .replace(/^ {4}rights:.*\n(?: {6,}.*\n)*/gm, "")
    .replaceAll(", default me", "");
}
