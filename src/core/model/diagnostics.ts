/** A stretch of the source text, as offsets in UTF-16 units; `end` is the first one after it. */
export interface Span {
  start: number;
  end: number;
}

/** Something to say about a place in the model. Errors stop the work; notes don't. */
export interface Diagnostic {
  severity: "error" | "note";
  message: string;
  at: Span;
  /** Advice. */
  help?: string;
}

/** A place as people count: lines and columns from 1, columns in characters. */
export interface Place {
  line: number;
  column: number;
}

/** Collects what there is to say while a model is read. */
export class Diagnostics {
  readonly all: Diagnostic[] = [];

  error(at: Span, message: string, help?: string): void {
    this.all.push({ severity: "error", message, at, ...(help && { help }) });
  }

  note(at: Span, message: string, help?: string): void {
    this.all.push({ severity: "note", message, at, ...(help && { help }) });
  }

  get hasErrors(): boolean {
    return this.all.some(({ severity }) => severity === "error");
  }

  /** In the order of the text, each thing said once. */
  sorted(): Diagnostic[] {
    const seen = new Set<string>();
    return this.all
      .filter(({ at, message }) => {
        const key = `${at.start} ${message}`;
        return !seen.has(key) && seen.add(key);
      })
      .sort((a, b) => a.at.start - b.at.start || a.at.end - b.at.end);
  }
}

/** Finds lines and columns in a text. */
export class Places {
  readonly #starts: number[] = [0];

  constructor(readonly text: string) {
    for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) {
      this.#starts.push(at + 1);
    }
  }

  place(offset: number): Place {
    let low = 0;
    let high = this.#starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.#starts[middle] ?? 0) <= offset) low = middle;
      else high = middle - 1;
    }
    const before = this.text.slice(this.#starts[low], offset);
    return { line: low + 1, column: [...before].length + 1 };
  }

  /** A line without its end. */
  line(number: number): string {
    const start = this.#starts[number - 1] ?? 0;
    const end = this.#starts[number] ?? this.text.length + 1;
    return this.text.slice(start, end - 1).replace(/\r$/, "");
  }
}

/** A diagnostic as a compiler shows it: where, what, the line with a marker under the place, what to do. */
export interface Pointed {
  severity: Diagnostic["severity"];
  /** `model.yaml:12:7` */
  where: string;
  message: string;
  /** The line, cut around the place when it is long. */
  line: string;
  /** Spaces, then `^` under each character concerned. */
  marker: string;
  help?: string;
}

const widest = 100;

/** Points a diagnostic out in its text. */
export function pointOut(file: string, places: Places, diagnostic: Diagnostic): Pointed {
  const { line, column } = places.place(diagnostic.at.start);
  const characters = [...places.line(line)].map((character) => (character < " " ? " " : character));
  const from = column > widest - 20 ? column - 40 : 0;
  const shown = characters.slice(from, from + widest);
  const length = [...places.text.slice(diagnostic.at.start, diagnostic.at.end)].length;
  const room = Math.max(1, shown.length - (column - 1 - from));
  return {
    severity: diagnostic.severity,
    where: `${file}:${line}:${column}`,
    message: diagnostic.message,
    line: shown.join(""),
    marker: " ".repeat(column - 1 - from) + "^".repeat(Math.max(1, Math.min(length, room))),
    ...(diagnostic.help && { help: diagnostic.help }),
  };
}
