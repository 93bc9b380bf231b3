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

  /** Adds a piece of the text; blank lines stand between pieces. */
  add(part: string): void {
    this.#parts.push(part);
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

/** A text as a string literal. */
export function quote(text: string): string {
  return JSON.stringify(text);
}

/** A text as the value of a JSX attribute: `"Count both boxes"`, or `{"…"}` where it has quotes or more. */
export function attribute(text: string): string {
  return /^[^"&\\{}<>\n\r\u2028\u2029]*$/.test(text) ? `"${text}"` : `{${quote(text)}}`;
}

/** An object literal. */
export function object(entries: readonly (readonly [string, string])[]): string {
  return `{ ${entries.map(([key, value]) => (key === value ? key : `${quote(key)}: ${value}`)).join(", ")} }`;
}
