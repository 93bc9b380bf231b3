import type { JSX as HtmlElements } from "hono/jsx/jsx-runtime";
import { escaped } from "./escaping.ts";

/*
 * What TSX compiles to: elements become escaped text at once, with no tree between. The types are those of `hono/jsx`;
 * `jsxImportSource` in tsconfig.json chooses between the two. Components can't be async.
 */

export type { JSX } from "hono/jsx/jsx-runtime";
export { jsx as jsxs };

type Component = (props: object) => HtmlElements.Element;

/** Text of HTML, in which everything that came from elsewhere is escaped. */
class Markup {
  readonly isEscaped = true;

  constructor(readonly text: string) {}

  toString(): string {
    return this.text;
  }
}

/** An element, or what a component makes of its properties. */
export function jsx(tag: string | Component, props: Record<string, unknown>): HtmlElements.Element {
  if (typeof tag === "function") return tag(props);
  const { open, close } = tagOf(tag);
  let text = open;
  for (const name in props) {
    if (name !== "children") text += attribute(name, props[name]);
  }
  text += close === "" ? "/>" : `>${content(props.children)}${close}`;
  return new Markup(text) as unknown as HtmlElements.Element;
}

export function Fragment({ children }: { children?: unknown }): HtmlElements.Element {
  return new Markup(content(children)) as unknown as HtmlElements.Element;
}

function content(child: unknown): string {
  if (typeof child === "string") return escaped(child);
  if (child instanceof Markup) return child.text;
  if (typeof child === "number") return String(child);
  if (child === null || child === undefined || typeof child === "boolean") return "";
  if (Array.isArray(child)) {
    let text = "";
    for (const each of child) text += content(each);
    return text;
  }
  if (child instanceof Promise) throw new Error("Components can't be async.");
  return (child as { isEscaped?: true }).isEscaped ? String(child) : escaped(String(child));
}

const empty = new Set("area base br col embed hr img input link meta source track wbr".split(" "));

const tags = new Map<string, { open: string; close: string }>();

function tagOf(tag: string): { open: string; close: string } {
  const known = tags.get(tag);
  if (known) return known;
  if (!/^[a-zA-Z][\w:-]*$/.test(tag)) throw new Error(`${tag} is no name of an element.`);
  const made = { open: `<${tag}`, close: empty.has(tag) ? "" : `</${tag}>` };
  tags.set(tag, made);
  return made;
}

/** Attributes that are there or not, whatever their value. */
const switches = new Set(
  `allowfullscreen async autofocus autoplay checked controls default defer disabled formnovalidate hidden
  inert ismap loop multiple muted nomodule novalidate open readonly required reversed selected`.split(
    /\s+/,
  ),
);

const otherNames: Readonly<Record<string, string>> = { className: "class", htmlFor: "for" };

const names = new Map<string, { start: string; isSwitch: boolean } | undefined>();

/** What begins an attribute; undefined for what is none. */
function attributeNamed(given: string) {
  if (names.has(given)) return names.get(given);
  const name = otherNames[given] ?? given;
  const isNone = given === "key" || given === "ref" || /[\s\p{Cc}"'<>/=`\\]/u.test(name);
  const known = isNone ? undefined : { start: ` ${name}="`, isSwitch: switches.has(name) };
  if (names.size < 1000) names.set(given, known);
  return known;
}

function attribute(given: string, value: unknown): string {
  if (value === null || value === undefined || typeof value === "function") return "";
  const name = attributeNamed(given);
  if (!name) return "";
  if (typeof value === "string") return `${name.start}${escaped(value)}"`;
  if (typeof value === "boolean" && name.isSwitch) return value ? `${name.start}"` : "";
  return `${name.start}${typeof value === "number" ? value : escaped(String(value))}"`;
}
