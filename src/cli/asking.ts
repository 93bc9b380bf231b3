import { createInterface } from "node:readline/promises";
import { visible } from "../core/naming/characters.ts";

/** Whether there is a person to ask. */
export function canAsk(): boolean {
  return process.stdin.isTTY === true && process.stdout.isTTY === true;
}

/** Asks for confirmation; anything but yes means no. */
export async function agreed(question: string): Promise<boolean> {
  const terminal = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await terminal
    .question(`\n${visible(question)} [y/N] `)
    .finally(() => terminal.close());
  return /^y(es)?$/i.test(answer.trim());
}
