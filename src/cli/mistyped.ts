import { nearest } from "../../kit/formula/nearest.ts";

/** A mistyped command line, in our words. */
interface Mistake {
  message: string;
  help?: string;
}

/** What the parser of the command line says, and how we say it. */
const sentences: readonly (readonly [
  RegExp,
  (found: RegExpExecArray, line: CommandLine) => Mistake,
])[] = [
  [
    /^Nonexistent flags?: ([^,]+)/,
    ([, flag = ""], { command, flags }) => {
      const close = nearest(flag, flags);
      return {
        message: `\`${command}\` has no option ${flag}`,
        help: close ? `did you mean ${close}?` : helpOf(command),
      };
    },
  ],
  [
    /^Unexpected arguments?: (.+)/,
    ([, argument = ""], { command }) => ({
      message: `there is nothing that \`${command}\` could do with \`${argument}\``,
      help: helpOf(command),
    }),
  ],
  [
    /^Missing \d+ required args?:?\s+(\S+)\s*(.*)/,
    ([, name = "", about = ""], { command }) => ({
      message: `\`${command}\` needs ${name.toUpperCase()}${about && `: ${about}`}`,
      help: helpOf(command),
    }),
  ],
  [
    /^Parsing --(\S+) Expected an integer (greater|less) than or equal to (-?\d+) but received: (.*)/,
    ([, flag = "", side, bound = "", given = ""]) => ({
      message: `--${flag} ${given}: ${side === "greater" ? "the least is" : "the most is"} ${Number(bound).toLocaleString("en")}`,
    }),
  ],
  [
    /^Parsing --(\S+) Expected an integer but received: (.*)/,
    ([, flag = "", given = ""]) => ({
      message: `--${flag} ${given}: this has to be a whole number`,
    }),
  ],
  [
    /^Flag --(\S+) expects (?:a value|one of these values: (.*))/,
    ([, flag = "", values], { command }) => ({
      message: `--${flag} needs a value`,
      help: values ? `one of ${values}` : helpOf(command),
    }),
  ],
  [
    /^Expected --([^=]+)=(.*) to be one of: (.*)/,
    ([, flag = "", given = "", values = ""]) => {
      const close = nearest(given, values.split(", "));
      return {
        message: `--${flag} ${given}: this has to be one of ${values}`,
        ...(close && { help: `did you mean ${close}?` }),
      };
    },
  ],
  [
    /All of the following must be provided when using (--[^:]+): (.*)/,
    ([, flag = "", others = ""]) => ({ message: `${flag} only works together with ${others}` }),
  ],
  [
    /(--\S+?)(?:=\S*)? cannot also be provided when using (--\S+)/,
    ([, one = "", other = ""]) => ({ message: `${one} and ${other} don't work together` }),
  ],
];

/** The command that a line is for, as it is typed, and the options that it has. */
export interface CommandLine {
  command: string;
  flags: readonly string[];
}

/** What is wrong with a line, from what its parser said. */
export function mistakeIn(said: string, line: CommandLine): Mistake {
  const plain = said.replace(/\s*See more help with --help\s*$/, "").replace(/\s+/g, " ");
  for (const [pattern, words] of sentences) {
    const found = pattern.exec(plain);
    if (found) return words(found, line);
  }
  return { message: plain, help: helpOf(line.command) };
}

function helpOf(command: string): string {
  return `\`${command} --help\` shows what it takes`;
}
