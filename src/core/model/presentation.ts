import { nearest } from "../../../kit/formula/nearest.ts";
import { canBe, holdsWords } from "../fields/types.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { interpretLooks } from "./looks.ts";
import {
  archiveField,
  automaticFields,
  type Entity,
  type Field,
  handColumn,
  isComputed,
  type SortKey,
  type TitlePart,
} from "./model.ts";
import type { SourceMap, SourceNode } from "./source.ts";
import { type FieldNames, wordsOf } from "./word-lists.ts";

/** The most fields that a list shows when it isn't told which. */
const mostListed = 6;

/**
 * Reads how an entity is shown: title, columns, sections, sort and the fields that are unique together.
 * `broken` are fields whose own definition is wrong: naming them is no further mistake.
 */
export function interpretPresentation(
  entity: Entity,
  body: SourceMap,
  broken: ReadonlySet<string>,
  diagnostics: Diagnostics,
): void {
  const at = (name: string) => body.entries.find(({ key }) => key.text === name)?.value;
  const reader = new Reader(entity, broken, diagnostics);
  const title = at("title");
  if (title) entity.title = reader.title(title);
  else {
    const first = entity.fields.find(({ type, required }) => type.kind === "text" && required);
    if (first) entity.title = [{ field: first.name }];
  }
  const columns = at("columns");
  entity.columns = columns ? reader.columns(columns) : listedByDefault(entity);
  const tabs = at("tabs");
  const tabbed = tabs && reader.tabs(tabs);
  if (tabbed !== undefined) entity.tabs = tabbed;
  const search = at("search");
  if (search?.kind === "scalar" && search.text === "indexed") {
    entity.search = "indexed";
    if (!entity.fields.some(({ type }) => holdsWords(type))) {
      diagnostics.error(
        search.at,
        `\`${entity.name}\` has no text whose words could be in an index`,
        "leave `search` out",
      );
    }
  }
  const sections = at("sections");
  entity.sections = sections
    ? reader.sections(sections)
    : [{ fields: entity.fields.filter(isAsked).map(({ name }) => name) }];
  const sort = at("sort");
  const isByHand = sort?.kind === "scalar" && sort.text.trim() === "by hand";
  if (isByHand) {
    entity.byHand = true;
    const taken = entity.fields.find(({ name }) => name === handColumn);
    if (taken) {
      const help = "choose another name, or another `sort`";
      diagnostics.error(taken.at, `\`${handColumn}\` is the place of a record in its list`, help);
    }
  }
  entity.sort = sort && !isByHand ? reader.sort(sort) : [];
  const unique = at("unique");
  if (unique) entity.unique = reader.groups(unique);
  const rules = at("rules");
  if (rules) entity.rules = reader.rules(rules);
  if (sections) reader.missingInForm(sections.at);
  interpretLooks(entity, body, reader, diagnostics);
}

function isAsked(field: Field): boolean {
  return !isComputed(field) && field.name !== archiveField;
}

function listedByDefault({ title, fields }: Entity): string[] {
  const named = (title ?? []).flatMap((part) => ("field" in part ? [part.field] : []));
  const short = fields
    .filter(({ type, name }) => canBe("column", type) && name !== archiveField)
    .map(({ name }) => name);
  return [...new Set([...named, ...short])].slice(0, mostListed);
}

class Reader implements FieldNames {
  readonly #fields: ReadonlyMap<string, Field>;

  constructor(
    readonly entity: Entity,
    readonly broken: ReadonlySet<string>,
    readonly diagnostics: Diagnostics,
  ) {
    this.#fields = new Map(entity.fields.map((field) => [field.name, field]));
  }

  /** A field's name, when there is such a field; an error otherwise. */
  #known(name: string, at: Span, automatic: boolean): string | undefined {
    const text = name.normalize("NFC");
    if (this.#fields.has(text)) return text;
    if (automatic && (automaticFields as readonly string[]).includes(text)) return text;
    if (this.broken.has(text)) return undefined;
    const close = nearest(text, this.#fields.keys());
    this.diagnostics.error(
      at,
      `\`${this.entity.name}\` has no field \`${text}\``,
      close
        ? `did you mean \`${close}\`?`
        : `its fields are ${[...this.#fields.keys()].join(", ")}`,
    );
    return undefined;
  }

  known(name: string, at: Span): Field | undefined {
    return this.#fields.get(this.#known(name, at, false) ?? "");
  }

  /** `"{code} in {apiary}"` as words and fields. */
  title(node: SourceNode): TitlePart[] {
    if (node.kind !== "scalar") {
      this.diagnostics.error(
        node.at,
        "a title with `{field}` in it has to be in quotes",
        'write title: "{name}"',
      );
      return [];
    }
    const parts: TitlePart[] = [];
    for (const match of node.text.matchAll(/\{([^{}]*)\}|([^{}]+)|([{}])/g)) {
      const [, field, words, brace] = match;
      if (words !== undefined) parts.push({ words });
      else if (brace !== undefined) {
        this.diagnostics.error(
          node.at,
          "a brace in this title has no partner",
          "fields stand in braces, as {name}",
        );
      } else {
        const offset = (node.origin ?? node.at.start) + match.index + 1;
        const name = field?.trim() ?? "";
        const at =
          node.origin === undefined
            ? node.at
            : { start: offset, end: offset + Math.max(1, name.length) };
        const known = this.#known(name, at, false);
        const type = known ? this.#fields.get(known)?.type : undefined;
        if (type && !canBe("title", type)) {
          this.diagnostics.error(at, `a title can't hold a \`${type.kind}\``, "use a short field");
        } else if (known) parts.push({ field: known });
      }
    }
    if (!parts.some((part) => "field" in part) && node.text.indexOf("{") < 0) {
      this.diagnostics.error(
        node.at,
        "this title is the same for every record",
        'put a field into it, as "{name}"',
      );
    }
    return parts;
  }

  /** The field whose choices are tabs. */
  tabs(node: SourceNode): string | undefined {
    const name = node.kind === "scalar" ? this.#known(node.text.trim(), node.at, false) : undefined;
    if (name === undefined) return undefined;
    if (this.#fields.get(name)?.type.kind === "choice") return name;
    const choices = [...this.#fields.values()].filter(({ type }) => type.kind === "choice");
    this.diagnostics.error(
      node.at,
      `\`${name}\` is no \`choice\`, and tabs are the values of one`,
      choices.length > 0
        ? `name ${choices.map((each) => `\`${each.name}\``).join(" or ")}`
        : "take the line out",
    );
    return undefined;
  }

  /** What lists show: fields, and several of them together, as `"{code} in {apiary}"`. */
  columns(node: SourceNode): string[] {
    const items = node.kind === "list" ? node.items : [node];
    const joined = (item: SourceNode) => item.kind === "scalar" && item.text.includes("{");
    if (!items.some(joined)) return this.names(node, true);
    const found = items.flatMap((item) => {
      if (!joined(item) || item.kind !== "scalar") return this.names(item, true);
      return this.title(item).length > 0 ? [item.text.normalize("NFC")] : [];
    });
    return [...new Set(found)];
  }

  /** A list of fields, each once: `[code, apiary]` or `code, apiary`. */
  names(node: SourceNode, automatic: boolean): string[] {
    const found: string[] = [];
    for (const { text, at } of wordsOf(node, "fields", this.diagnostics)) {
      const name = this.#known(text, at, automatic);
      if (name && found.includes(name)) {
        this.diagnostics.error(at, `\`${name}\` appears here twice`, "take one out");
      } else if (name) found.push(name);
    }
    return found;
  }

  sections(node: SourceNode): Entity["sections"] {
    if (node.kind !== "list") {
      this.diagnostics.error(
        node.at,
        "a form is a list of sections",
        "write each as - Name: [field, field]",
      );
      return [];
    }
    const seen = new Set<string>();
    return node.items.flatMap((item) => {
      const [section] = item.kind === "map" ? item.entries : [];
      if (item.kind !== "map" || item.entries.length !== 1 || !section?.value) {
        this.diagnostics.error(
          item.at,
          "a section has a name and fields",
          "write - Name: [field, field]",
        );
        return [];
      }
      const fields = this.names(section.value, true);
      for (const name of fields) {
        if (seen.has(name)) {
          this.diagnostics.error(
            section.value.at,
            `\`${name}\` is in two sections`,
            "take one out",
          );
        }
        seen.add(name);
      }
      return [{ title: section.key.text, fields }];
    });
  }

  /** `- What people read: "= condition"`, one below the other. */
  rules(node: SourceNode): Entity["rules"] {
    if (node.kind !== "list") {
      const help = 'write each as - What people read where it doesn\'t hold: "= condition"';
      this.diagnostics.error(node.at, "rules are a list", help);
      return [];
    }
    return node.items.flatMap((item) => {
      const [rule] = item.kind === "map" ? item.entries : [];
      const formula = rule?.value;
      if (item.kind !== "map" || item.entries.length !== 1 || formula?.kind !== "scalar") {
        const help = 'write - What people read where it doesn\'t hold: "= condition"';
        this.diagnostics.error(item.at, "a rule has a sentence and a condition", help);
        return [];
      }
      const { text, origin, at } = formula;
      if (!text.startsWith("=")) {
        const help = 'as in "= removed is empty or removed >= installed"';
        this.diagnostics.error(at, "a condition is a formula, and begins with `=`", help);
        return [];
      }
      const sentence = rule?.key.text ?? "";
      return [{ sentence, formula: text, ...(origin !== undefined && { origin }), at }];
    });
  }

  /** A required field that no form asks for could never be filled in. */
  missingInForm(at: Span): void {
    const shown = new Set(this.entity.sections.flatMap(({ fields }) => fields));
    for (const field of this.entity.fields) {
      const needed = field.required && field.default === undefined && field.type.kind !== "boolean";
      if (needed && !shown.has(field.name)) {
        this.diagnostics.error(
          { start: at.start, end: at.start + 1 },
          `the required field \`${field.name}\` is in no section of this form`,
          "add it to one, or give it a default",
        );
      }
    }
  }

  /** `installed descending`, `apiary, code`, or a list of such words. */
  sort(node: SourceNode): SortKey[] {
    return wordsOf(node, "fields", this.diagnostics).flatMap(({ text, at }): SortKey[] => {
      const [name = "", direction, extra] = text.trim().split(/\s+/);
      if (extra !== undefined || (direction && !/^(ascending|descending)$/.test(direction))) {
        this.diagnostics.error(
          at,
          `\`${text}\` is no order`,
          "write `installed descending`, or `code`",
        );
        return [];
      }
      const known = this.#known(name, { start: at.start, end: at.start + name.length }, true);
      const type = known ? this.#fields.get(known)?.type : undefined;
      if (type && !canBe("order", type)) {
        this.diagnostics.error(
          at,
          `a list can't be sorted by a \`${type.kind}\``,
          "use a short field",
        );
        return [];
      }
      return known ? [{ field: known, descending: direction === "descending" }] : [];
    });
  }

  /** `[hive, date]`, or a list of such lists. */
  groups(node: SourceNode): string[][] {
    if (node.kind !== "list") return [];
    const nested = node.items.some(({ kind }) => kind === "list");
    const groups = (nested ? node.items : [node]).map((group) => ({
      names: this.names(group, false),
      at: group.at,
    }));
    for (const { names, at } of groups) {
      const unfit = names.find((name) => {
        const type = this.#fields.get(name)?.type;
        return type && !canBe("group", type);
      });
      if (unfit)
        this.diagnostics.error(at, `\`${unfit}\` can't be unique`, "use short fields and lookups");
      else if (names.length === 1) {
        this.diagnostics.error(
          at,
          "one field alone needs no group",
          `write \`unique\` with the field \`${names[0]}\``,
        );
      }
    }
    return groups.map(({ names }) => names).filter((names) => names.length > 1);
  }
}
