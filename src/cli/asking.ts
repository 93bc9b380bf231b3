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

/** Asks for one of some answers, which are safe for a terminal, by their numbers; blank is the first. Returns its place. */
export async function chosen(question: string, choices: readonly string[]): Promise<number> {
  const lines = choices.map((choice, at) => `  ${at + 1}  ${choice}`);
  const terminal = createInterface({ input: process.stdin, output: process.stdout });
  try {
    const text = [question, ...lines].join("\n");
    for (let ask = `\n${text}\n`; ; ask = "") {
      const answer = (await terminal.question(`${ask}Which? [1] `)).trim();
      const number = answer === "" ? 1 : Number(answer);
      if (Number.isInteger(number) && number >= 1 && number <= choices.length) return number - 1;
    }
  } finally {
    terminal.close();
  }
}
