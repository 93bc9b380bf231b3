import { createInterface } from "node:readline/promises";
import { Writable } from "node:stream";
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

/** A secret from standard input: all of it, or what is typed in a terminal, which doesn't show it. */
export async function secretFrom(question: string): Promise<string> {
  if (!process.stdin.isTTY) {
    let text = "";
    for await (const chunk of process.stdin) text = (text + chunk).slice(0, 20_000);
    return text.replace(/\r?\n$/, "");
  }
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const terminal = createInterface({ input: process.stdin, output: silent, terminal: true });
  process.stderr.write(`${question} (it isn't shown): `);
  const typed = await terminal.question("").finally(() => terminal.close());
  process.stderr.write("\n");
  return typed;
}
