import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { checkShape, entryAt, inOneForm, mapOf, valueAt } from "./mappings.ts";
import {
  type EmbeddedKind,
  type EmbeddedPage,
  type Entity,
  embeddedKinds,
  type Rights,
  type Users,
} from "./model.ts";
import { embeddedShape } from "./shapes.ts";
import type { SourceMap, SourceNode } from "./source.ts";

const help =
  "write each as our-apiaries: {list: Apiary, origins: https://bees.example}; there are list, record, form, report and calendar";

/** The most forms that one address may send in a quarter of an hour, where the model says nothing. */
const usualLimit = 10;

/** Reads `embedded`: the pages that may stand in pages of other sites, each under a name. */
export function interpretEmbedded(
  node: SourceNode,
  { entities, users }: { entities: readonly Entity[]; users: Users | undefined },
  diagnostics: Diagnostics,
): EmbeddedPage[] {
  const pages = mapOf(node, "`embedded`", diagnostics);
  if (!pages) return [];
  if (!users) {
    diagnostics.error(
      node.at,
      "without `users`, whoever sees an embedded page may change everything",
      "add `users:` to the model, and give `visitors` the rights that the pages need",
    );
  }
  const seen = new Set<string>();
  return pages.entries.flatMap(({ key, value }): EmbeddedPage[] => {
    const name = key.text.trim();
    if (!/^[a-z][a-z0-9-]{0,39}$/.test(name) || seen.has(name)) {
      const message = seen.has(name) ? `\`${name}\` appears twice` : `\`${name}\` is not a name`;
      const advice = "use up to 40 small letters, digits and hyphens, such as our-apiaries";
      diagnostics.error(key.at, message, seen.has(name) ? "rename one of them" : advice);
      return [];
    }
    seen.add(name);
    const page = value && mapOf(value, `\`${name}\``, diagnostics);
    if (!page) {
      if (!value) diagnostics.error(key.at, `\`${name}\` is blank`, help);
      return [];
    }
    const read = new PageReader(name, page, entities, users, diagnostics).read();
    return read ? [read] : [];
  });
}

/** Reads one page. */
class PageReader {
  constructor(
    private readonly name: string,
    private readonly page: SourceMap,
    private readonly entities: readonly Entity[],
    private readonly users: Users | undefined,
    private readonly diagnostics: Diagnostics,
  ) {}

  read(): EmbeddedPage | undefined {
    checkShape(embeddedShape, this.page, this.diagnostics);
    const kinds = embeddedKinds.filter((kind) => entryAt(this.page, kind));
    const [kind] = kinds;
    if (!kind || kinds.length > 1) {
      const what = kinds.length > 1 ? `\`${kinds.join("` and `")}\` at once` : "nothing to show";
      this.#error(this.page.at, `\`${this.name}\` has ${what}`, help);
      return undefined;
    }
    const entity = this.#entity(kind);
    const origins = this.#origins();
    const view = entity && this.#view(kind, entity);
    const limit = this.#limit(kind);
    if (!entity || !origins) return undefined;
    this.#checkRights(kind, entity);
    if (kind === "calendar" && !entity.calendar) {
      this.#error(this.#at(kind), `\`${entity.name}\` has no date`, "a calendar needs one");
    }
    return {
      name: this.name,
      kind,
      entity: entity.name,
      origins,
      ...(view !== undefined && { view }),
      ...(limit !== undefined && { limit }),
    };
  }

  #entity(kind: EmbeddedKind): Entity | undefined {
    const given = this.#text(kind);
    if (given === undefined) return undefined;
    const name = inOneForm(given);
    const found = this.entities.find((each) => each.name === name);
    if (found) return found;
    const names = this.entities.map((each) => each.name);
    const close = nearest(name, names);
    const hint = close ? `did you mean \`${close}\`?` : `there are ${names.join(", ")}`;
    this.#error(this.#at(kind), `there is no entity \`${name}\``, hint);
    return undefined;
  }

  #view(kind: EmbeddedKind, entity: Entity): string | undefined {
    const known = (kind === "report" ? entity.reports : entity.views) ?? [];
    const names = known.map(({ name }) => name);
    const what = kind === "report" ? "report" : "view";
    if (!entryAt(this.page, "view")) {
      if (kind === "report") {
        this.#error(
          this.page.at,
          `\`${this.name}\` doesn't say which report`,
          names.length > 0
            ? `add view: ${names[0]}`
            : `\`${entity.name}\` has none; add \`reports\``,
        );
      }
      return undefined;
    }
    if (kind === "record" || kind === "form") {
      this.#error(this.#at("view"), `a ${kind} has no view`, "remove `view`");
      return undefined;
    }
    const view = this.#text("view");
    if (view === undefined || names.includes(view)) return view;
    const close = nearest(view, names);
    const all = names.length > 0 ? `there are ${names.join(", ")}` : "it has none";
    this.#error(
      this.#at("view"),
      `\`${entity.name}\` has no ${what} \`${view}\``,
      close ? `did you mean \`${close}\`?` : all,
    );
    return undefined;
  }

  #origins(): string[] | undefined {
    const node = valueAt(this.page, "origins");
    const advice = "name the sites that may show it, such as origins: https://bees.example";
    const items = node?.kind === "list" ? node.items : node ? [node] : [];
    if (items.length === 0) {
      this.#error(node?.at ?? this.page.at, `\`${this.name}\` has no origins`, advice);
      return undefined;
    }
    const read = items.map((item) => {
      const text = item.kind === "scalar" ? item.text.trim().replace(/\/$/, "") : "";
      const url = URL.canParse(text) ? new URL(text) : undefined;
      const isWeb = url && /^https?:$/.test(url.protocol);
      // In the header that names it, other signs would begin something else.
      if (isWeb && url.origin === text && !/[\s;,'"]/.test(text)) return text;
      this.#error(item.at, `\`${text}\` is not the origin of a site`, advice);
      return undefined;
    });
    return read.every((each) => each !== undefined) ? read : undefined;
  }

  #limit(kind: EmbeddedKind): number | undefined {
    if (!entryAt(this.page, "limit")) return kind === "form" ? usualLimit : undefined;
    if (kind !== "form") {
      this.#error(this.#at("limit"), `only a form has a \`limit\``, "remove it");
      return undefined;
    }
    const text = this.#text("limit");
    if (text === undefined) return undefined;
    const number = Number(text);
    if (Number.isInteger(number) && number >= 1 && number <= 1000) return number;
    this.#error(
      this.#at("limit"),
      "a limit is a whole number from 1 to 1000",
      "it is how many forms one address may send in a quarter of an hour",
    );
    return undefined;
  }

  /** Whoever looks at an embedded page is a visitor. */
  #checkRights(kind: EmbeddedKind, entity: Entity): void {
    if (!this.users) return;
    const rights: Rights = entity.rights ?? this.users.rights;
    const needed = kind === "form" ? "add" : "see";
    if (rights.visitors?.some(({ may }) => may.includes(needed))) return;
    this.#error(
      this.#at(kind),
      `\`visitors\` may not ${needed} records of \`${entity.name}\``,
      `give the entity rights such as \`rights: {visitors: ${needed}}\``,
    );
  }

  #text(name: string): string | undefined {
    const node = valueAt(this.page, name);
    const text = node?.kind === "scalar" ? node.text.trim() : "";
    if (text !== "") return text;
    // What isn't a text at all was told when the shape of the page was checked.
    if (!node || node.kind === "scalar") this.#error(this.#at(name), `\`${name}\` is blank`, help);
    return undefined;
  }

  #at(name: string): Span {
    return valueAt(this.page, name)?.at ?? entryAt(this.page, name)?.key.at ?? this.page.at;
  }

  #error(at: Span, message: string, advice: string): void {
    this.diagnostics.error(at, message, advice);
  }
}
