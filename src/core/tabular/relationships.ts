import { nearest } from "../../../kit/formula/nearest.ts";
import { words } from "../naming/words.ts";
import { folded } from "./cells.ts";
import type { Finding } from "./finding.ts";
import type { ColumnProfile, Example } from "./profile.ts";
import { usualSpelling } from "./spellings.ts";

/** A column as far as relationships go. */
export interface LinkableColumn {
  /** Which sheet it is of, and the name that its entity will have. */
  sheet: number;
  entity: string;
  /** Its place among the sheet's columns. */
  at: number;
  name: string;
  profile: ColumnProfile;
  finding: Finding;
  /** How many rows of its sheet are the same as one above them. */
  copies: number;
}

/** A column whose values are those of another one. */
export interface FoundLink {
  kind: "one" | "many" | "part of";
  column: LinkableColumn;
  key: LinkableColumn;
  /** Cells that have a value of the other column. */
  matching: number;
  /** Cells that don't. */
  strangers: { count: number; misspelt: number; examples: (Example & { near?: string })[] };
}

const keyKinds = new Set(["text", "choice", "integer", "email", "phone", "long text"]);

/** Whether the values of a column are unique, apart from rows that are there twice. No other row would be lost by it. */
export function isKeyColumn({ profile, finding, copies }: LinkableColumn): boolean {
  const { filled, distinct } = profile;
  if (!keyKinds.has(finding.kind) || profile.longest > 160 || filled < 2) return false;
  return distinct.repeated <= Math.min(copies, fewRepeats(filled));
}

/** As many cells as may repeat another by mistake. */
function fewRepeats(filled: number): number {
  return Math.max(filled >= 8 ? 1 : 0, filled * 0.03);
}

const identifying =
  /(^|_)(code|no|nr|num|number|id|ref|reference|key|mark|tag|email)$|^(name|title)$/;

/** Whether a column is the one that records are told by: it is called so, or is the first. */
export function isIdentifying({ at, name, finding }: LinkableColumn): boolean {
  return at === 0 || identifying.test(name) || finding.kind === "email";
}

/** Whether the values would be unique but for a few that are in several rows. */
export function isNearlyKey({ profile, finding, copies }: LinkableColumn): boolean {
  const { filled, distinct } = profile;
  if (!keyKinds.has(finding.kind) || profile.longest > 160 || filled < 8) return false;
  return distinct.repeated > copies && distinct.repeated <= copies + fewRepeats(filled);
}

/** Finds for each column the one elsewhere that its values are those of. */
export function findLinks(columns: readonly LinkableColumn[]): FoundLink[] {
  const keys = columns.filter(isKeyColumn);
  // A column of references isn't a target of references, even if its values are unique.
  const referring = new Set(bestLinks(columns, keys).map(({ column }) => column));
  return withoutCircles(
    bestLinks(
      columns,
      keys.filter((key) => !referring.has(key)),
    ),
  );
}

function bestLinks(
  columns: readonly LinkableColumn[],
  keys: readonly LinkableColumn[],
): FoundLink[] {
  return columns.flatMap((column) => {
    if (!keyKinds.has(column.finding.kind)) return [];
    const found = keys
      .filter((key) => key !== column && mayRefer(column, key))
      .flatMap((key) => [asOne(column, key), asMany(column, key)])
      .filter((link) => link !== undefined)
      .sort((one, other) => scoreOf(other) - scoreOf(one));
    return found.slice(0, 1);
  });
}

/** Numbers and keys that meet by accident are no relationship: there the names must say so too. */
function mayRefer(column: LinkableColumn, key: LinkableColumn): boolean {
  const kind = (finding: Finding) => (finding.kind === "integer" ? "number" : "text");
  if (kind(column.finding) !== kind(key.finding)) return false;
  if (column.finding.kind === "integer") return areNumbersOf(column, key);
  // A second key of the same rows refers to none of them.
  const isSecondKey = column.sheet === key.sheet && column.profile.blanks === 0;
  const isKey = isKeyColumn(column) && (column.at === 0 || isSecondKey);
  return !isKey || affinity(column, key) > 0;
}

/**
 * Whether numbers are those of another column: a few small ones are there by accident. The header has to name the other
 * entity, and as one of it, not as a number of them; and either say that it has numbers, or most of them are used.
 */
function areNumbersOf(column: LinkableColumn, key: LinkableColumn): boolean {
  if (affinity(column, key) <= 0) return false;
  if (/_(id|no|nr|num|number|code|ref)$/.test(column.name)) return true;
  const isPlural = words(column.name).at(-1) !== words(key.entity).at(-1)?.toLowerCase();
  const used = column.profile.distinct.sharedWith(key.profile.distinct);
  return !isPlural && used * 2 >= key.profile.distinct.size;
}

const superiors = new Set(["parent", "mother", "boss", "manager", "mentor", "superior", "leader"]);

/** How much the names say that the one refers to the other. */
function affinity(column: LinkableColumn, key: LinkableColumn): number {
  const said = words(column.name.replace(/_\d+$/, ""));
  const entity = words(key.entity);
  const named = entity.every((word) =>
    said.some((other) => other === word || other === `${word}s`),
  );
  if (named) return 1;
  // Within a sheet, a parent is one of its own kind.
  if (column.sheet === key.sheet && superiors.has(said[0] ?? "")) return 1;
  return said.length > 1 && said.join("_") === key.name && column.sheet !== key.sheet ? 0.5 : 0;
}

function scoreOf({ kind, column, key, matching, strangers }: FoundLink): number {
  const share = matching / Math.max(1, matching + strangers.count);
  const first = key.at === 0 ? 0.1 : 0;
  const text = key.finding.kind === "integer" ? 0 : 0.05;
  const other = column.sheet === key.sheet ? 0 : 0.2;
  return share + affinity(column, key) + first + text + other + (kind === "one" ? 0.05 : 0);
}

function asOne(column: LinkableColumn, key: LinkableColumn): FoundLink | undefined {
  const { distinct, filled } = column.profile;
  if (distinct.size === 0) return undefined;
  const shared = distinct.sharedWith(key.profile.distinct);
  const close = affinity(column, key) > 0;
  // Two values that are both there may do; among more, some may be misspelt.
  const least = close ? 1 : shared === distinct.size ? 2 : 3;
  if (shared < least) return undefined;
  // Where many values are strangers, they have to be few enough to be looked at for misspellings.
  const few = distinct.size <= mostMisspelt && key.profile.distinct.size <= mostMisspelt;
  if (!few && shared * (close ? 2 : 1.25) < distinct.size) return undefined;
  if (distinct.overflowed || key.profile.distinct.overflowed) {
    const strangers = { count: distinct.size - shared, misspelt: 0, examples: [] };
    return { kind: "one", column, key, matching: filled - strangers.count, strangers };
  }
  const strangers = strangersOf(column, key, (text) =>
    key.profile.distinct.values.has(folded(text)),
  );
  const matching = filled - strangers.count;
  // What is nearly another value is a misspelling of it.
  const unlike = strangers.count - strangers.misspelt;
  if (unlike > Math.max(close ? 2 : 1, filled * (close ? 0.25 : 0.1))) return undefined;
  if (strangers.misspelt * 2 > filled) return undefined;
  return { kind: "one", column, key, matching, strangers };
}

/** The most values of a lookup, and of the column that refers to it, of which many may be misspelt. */
const mostMisspelt = 300;
/** The most pairs of texts that are compared letter by letter. */
const mostCompared = 200_000;

const separators = /\s*[;,/|+&\n]\s*|\s+(?:and|y|und|et|e)\s+/u;

/** The names in a cell that lists several. A name with a comma of its own stays whole. */
export function listParts(text: string, isKnown: (part: string) => boolean): string[] {
  if (isKnown(text)) return [text.trim()];
  const parts = text.split(/\s*[;\n|]\s*/u).filter(Boolean);
  return parts.flatMap((part) => (isKnown(part) ? [part] : part.split(separators).filter(Boolean)));
}

function asMany(column: LinkableColumn, key: LinkableColumn): FoundLink | undefined {
  const { distinct, filled } = column.profile;
  const values = key.profile.distinct.values;
  if (distinct.overflowed || key.profile.distinct.overflowed || column.finding.kind === "integer")
    return undefined;
  const isKnown = (part: string) => values.has(folded(part));
  let lists = 0;
  let whole = 0;
  for (const { spellings } of distinct.values.values()) {
    const parts = listParts(usualSpelling(spellings), isKnown);
    if (parts.length > 1 && parts.filter(isKnown).length > 1) lists++;
    if (parts.every(isKnown)) whole++;
  }
  if (lists === 0 || whole * 10 < distinct.size * 7) return undefined;
  const strangers = strangersOf(column, key, (text) => listParts(text, isKnown).every(isKnown));
  return { kind: "many", column, key, matching: filled - strangers.count, strangers };
}

function strangersOf(column: LinkableColumn, key: LinkableColumn, fits: (text: string) => boolean) {
  const strangers: FoundLink["strangers"] = { count: 0, misspelt: 0, examples: [] };
  const names = [...key.profile.distinct.values.values()].map(({ spellings }) =>
    usualSpelling(spellings),
  );
  const unlike = [...column.profile.distinct.values.values()].filter(
    ({ spellings }) => !fits(usualSpelling(spellings)),
  );
  const isCompared = unlike.length * names.length <= mostCompared;
  for (const { spellings, count, rows } of unlike) {
    const text = usualSpelling(spellings);
    strangers.count += count;
    const near = isCompared ? nearest(text, names) : undefined;
    if (near) strangers.misspelt += count;
    for (const row of rows) {
      if (strangers.examples.length < 8)
        strangers.examples.push({ row, text, ...(near && { near }) });
    }
  }
  return strangers;
}

/** Of two columns with the same values, the first one is the key. */
function withoutCircles(links: FoundLink[]): FoundLink[] {
  return links.filter(
    (link, index) =>
      !links.some(
        (other, before) => before < index && other.column === link.key && other.key === link.column,
      ),
  );
}

/** What a field that refers is called: `hive_code` of a Hive is `hive`. */
export function linkName(name: string, taken: ReadonlySet<string>): string {
  const plain = name.replace(/_(id|code|name|no|nr|number|ref)$/, "");
  return taken.has(plain) ? name : plain;
}
