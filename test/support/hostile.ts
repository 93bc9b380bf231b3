import fc from "fast-check";
import { parseSync } from "oxc-parser";

/** A word that stands in every hostile text, so that it can be found wherever it ends up. */
export const mark = "zqqx";

/** Pieces of text that mean something to one of the languages that text of a model is written into. */
export const hostilePieces: readonly string[] = [
  "*/",
  `*/ globalThis.${mark} = 1; /*`,
  "/*",
  "//",
  "`",
  `\${${mark}()}`,
  '"',
  "'",
  "\\",
  "\\u0022",
  "</script>",
  "<b>",
  "<!--",
  `{${mark}}`,
  "&quot;",
  "&#x22;",
  `@jsx ${mark}`,
  `@jsxImportSource ./${mark}`,
  "@ts-nocheck",
  "@ts-expect-error",
  "# sourceMappingURL=data:,",
  "biome-ignore lint: x",
  `-- keep ${mark} of hive: select 1;`,
  `\n-- keep ../../${mark} of hive: select 1;`,
  `): select 1 as id, 2 as value; drop table hive; --`,
  "; drop table hive; --",
  "#",
  "/*! select 1 */",
  "$$",
  "$&",
  "%s",
  "?",
  ":x",
  "|",
  ",",
  ": ",
  "é",
  "蜂",
  "🐝",
  "مرحبا",
];

/** Characters that no text of a model may hold. */
export const unseenPieces: readonly string[] = [
  "\u0000",
  "\u001b[31m",
  "\u007f",
  "\u0085",
  "\u2028",
  "\u2029",
  "\u202e",
  "\u2066",
  "\u200f",
  "\ud800",
];

/** Texts made of such pieces; no longer than a choice may be. */
export const hostileText = fc
  .array(fc.constantFrom(...hostilePieces), { minLength: 1, maxLength: 4 })
  .map((pieces) => [...`${mark}${pieces.join(mark)}${mark}`].slice(0, 96).join(""));

interface Node {
  type: string;
  start: number;
  end: number;
}

/** Where a text may stand in source code without being code. */
const literals = new Set(["Literal", "TemplateElement", "JSXText"]);

/** What a file of source code is made of, as its syntax tree tells. */
export interface SourceParts {
  /** What it imports from, in order. */
  imports: string[];
  comments: string[];
  /** What stands neither in a literal nor in a comment. */
  code: string;
}

/** Parses TypeScript; throws where it isn't any. */
export function sourceParts(path: string, text: string): SourceParts {
  const { program, comments, errors } = parseSync(path, text);
  if (errors.length > 0) throw new Error(`${path}: ${errors[0]?.message}\n${text}`);
  const quiet: Node[] = comments.map((comment) => ({ ...comment }));
  const imports: string[] = [];
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) for (const each of value) visit(each);
    if (typeof value !== "object" || value === null || !("type" in value)) return;
    const node = value as Node & { source?: { value: string } };
    if (literals.has(node.type)) quiet.push(node);
    if (/^(Import|Export).*Declaration$/.test(node.type) && node.source) {
      imports.push(node.source.value);
    }
    for (const each of Object.values(node)) visit(each);
  };
  visit(program);
  let code = "";
  let at = 0;
  for (const { start, end } of quiet.sort((a, b) => a.start - b.start)) {
    code += text.slice(at, Math.max(at, start));
    at = Math.max(at, end);
  }
  return { imports, comments: comments.map(({ value }) => value), code: code + text.slice(at) };
}
