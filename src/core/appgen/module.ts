import { visible } from "../naming/characters.ts";

/** A TypeScript file while it is being written: its text, and what the text uses from elsewhere. */
export class Module {
  readonly #values = new Map<string, Set<string>>();
  readonly #types = new Map<string, Set<string>>();
  readonly #parts: string[] = [];

  /** Imports a value, and gives its name. */
  use(name: string, from: string): string {
    return add(this.#values, from, name);
  }

  /** Imports a type, and gives its name. */
  type(name: string, from: string): string {
    return add(this.#types, from, name);
  }

  /** Adds a piece of the text, with its doc comment; with blank lines between pieces. */
  add(part: string, doc?: string): void {
    this.#parts.push(doc === undefined ? part : `${docComment(doc)}\n${part}`);
  }

  /** Whether nothing was added. */
  get isEmpty(): boolean {
    return this.#parts.length === 0;
  }

  /** The whole text; a formatter puts lines and imports in order afterwards. */
  print(): string {
    const sources = [...new Set([...this.#values.keys(), ...this.#types.keys()])].sort();
    const imports = sources.map((source) => {
      const values = [...(this.#values.get(source) ?? [])];
      const types = [...(this.#types.get(source) ?? [])].filter((name) => !values.includes(name));
      const names = [
        ...values,
        ...types.map((name) => (values.length > 0 ? `type ${name}` : name)),
      ];
      return `import ${values.length > 0 ? "" : "type "}{ ${names.join(", ")} } from "${source}";`;
    });
    return `${[imports.join("\n"), ...this.#parts].join("\n\n")}\n`;
  }
}

function add(map: Map<string, Set<string>>, from: string, name: string): string {
  map.set(from, (map.get(from) ?? new Set()).add(name));
  return name;
}

/*
 * Every text of a model that is written into source code goes through one of these. It may hold anything.
 */

/** A text as a string literal; what looks like a placeholder isn't taken for one by people or linters. */
export function quote(text: string): string {
  return JSON.stringify(text)
    .replaceAll("\u2028", "\\u2028")
    .replaceAll("\u2029", "\\u2029")
    .replaceAll("${", "\\u0024{");
}

/** A text as the value of a JSX attribute: `"Count both boxes"`, or `{"…"}` where it has quotes or more. */
export function attribute(text: string): string {
  return /^[^"&\\{}<>\p{C}\p{Zl}\p{Zp}]*$/u.test(text) ? `"${text}"` : `{${quote(text)}}`;
}

/** Expressions that look like the name of a variable. */
const constants = new Set(["null", "true", "false", "this"]);

/** An object literal. */
export function object(entries: readonly (readonly [string, string])[]): string {
  return `{ ${entries.map(([key, value]) => (key === value && !constants.has(key) ? key : `${propertyName(key)}: ${value}`)).join(", ")} }`;
}

/** A name of a property; `__proto__` in brackets, since without them it sets the prototype. */
export function propertyName(name: string): string {
  return name === "__proto__" ? `[${quote(name)}]` : quote(name);
}

/** Text that a template literal holds as it is. */
export function templateText(text: string): string {
  return text.replace(/[\\`]|\$\{/g, "\\$&");
}

/** A remark to the end of the line. */
export function remark(text: string): string {
  return `// ${commentText(text)}`;
}

/** A comment above what it describes; on several lines where the text has several. */
function docComment(text: string): string {
  const lines = text.split("\n").map(commentText);
  return lines.length === 1
    ? `/** ${lines[0]} */`
    : `/**\n${lines.map((line) => ` * ${line}`).join("\n")}\n */`;
}

/**
 * A line within a comment. It can't end the comment, hide what it says, or give orders to the tools that look
 * for them in comments: `@jsx`, `@ts-nocheck`, `sourceMappingURL=`, `biome-ignore` and their like.
 */
function commentText(text: string): string {
  return visible(text.replace(/\s+/gu, " "))
    .replace(/\*(?=\/)/g, "* ")
    .replace(/@(?=[\p{L}_])/gu, "@ ")
    .replace(/(\p{L})-(?=ignore|disable|enable|expect)/giu, "$1 - ")
    .replace(/sourceMappingURL(?==)/gi, "$& ")
    .trim();
}
