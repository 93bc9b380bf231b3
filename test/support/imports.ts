import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative, resolve, sep } from "node:path";
import { parseSync } from "oxc-parser";

/** What a file imports: a file of the same folder of sources, or a package; and whether only its types. */
export interface Import {
  from: string;
  to: string;
  typesOnly: boolean;
}

/** Every import of the sources below some folders: static, dynamic, re-exported, and of a type in a type. */
export function importsOf(root: string, folders: readonly string[]): Import[] {
  return sourcesBelow(root, folders).flatMap((from) =>
    specifiersIn(from, readFileSync(join(root, from), "utf8")).map(({ name, typesOnly }) => ({
      from,
      to: name.startsWith(".") ? posix(relative(root, resolve(root, dirname(from), name))) : name,
      typesOnly,
    })),
  );
}

/** The sources below some folders, without their tests. */
export function sourcesBelow(root: string, folders: readonly string[]): string[] {
  return folders.flatMap((folder) =>
    readdirSync(join(root, folder), { recursive: true, withFileTypes: true })
      .filter(
        (entry) => entry.isFile() && /\.tsx?$/.test(entry.name) && !/\.test\./.test(entry.name),
      )
      .map((entry) => posix(relative(root, join(entry.parentPath, entry.name)))),
  );
}

function posix(path: string): string {
  return path.split(sep).join("/");
}

function specifiersIn(file: string, text: string): { name: string; typesOnly: boolean }[] {
  const { module, program } = parseSync(file, text);
  const fixed = module.staticImports.map(({ moduleRequest, entries }) => ({
    name: moduleRequest.value,
    typesOnly: entries.length > 0 && entries.every(({ isType }) => isType),
  }));
  const exported = module.staticExports.flatMap(({ entries }) =>
    entries.flatMap(({ moduleRequest, isType }) =>
      moduleRequest ? [{ name: moduleRequest.value, typesOnly: isType }] : [],
    ),
  );
  const inner = [...nodesIn(program)].flatMap((node) => {
    const typesOnly = node.type === "TSImportType";
    if (!typesOnly && node.type !== "ImportExpression") return [];
    const literal = (node.source ?? node.argument) as {
      value?: unknown;
      literal?: { value?: unknown };
    };
    const name = literal.value ?? literal.literal?.value;
    return typeof name === "string" ? [{ name, typesOnly }] : [];
  });
  return [...fixed, ...exported, ...inner];
}

type Node = Readonly<Record<string, unknown>>;

function* nodesIn(value: unknown): Generator<Node> {
  if (Array.isArray(value)) {
    for (const each of value) yield* nodesIn(each);
  } else if (typeof value === "object" && value !== null) {
    if ("type" in value) yield value as Node;
    for (const each of Object.values(value)) yield* nodesIn(each);
  }
}

/** The circles of files that import each other, each as the files in it. */
export function circlesIn(imports: readonly Import[]): string[][] {
  const edges = new Map<string, string[]>();
  for (const { from, to } of imports) edges.set(from, [...(edges.get(from) ?? []), to]);
  // Tarjan's strongly connected components (1972).
  const index = new Map<string, number>();
  const low = new Map<string, number>();
  const stack: string[] = [];
  const found: string[][] = [];
  const visit = (file: string) => {
    index.set(file, index.size);
    low.set(file, index.get(file) ?? 0);
    stack.push(file);
    for (const next of edges.get(file) ?? []) {
      if (!index.has(next)) visit(next);
      if (stack.includes(next)) low.set(file, Math.min(low.get(file) ?? 0, low.get(next) ?? 0));
    }
    if (low.get(file) !== index.get(file)) return;
    const circle = stack.splice(stack.indexOf(file));
    if (circle.length > 1) found.push(circle.sort());
  };
  for (const file of edges.keys()) if (!index.has(file)) visit(file);
  return found.sort();
}
