import { nearest } from "../../../kit/formula/nearest.ts";
import {
  type Dimension,
  drawings,
  type Figure,
  type Mark,
  markKinds,
  mostAsked,
  mostFigures,
  mostGroups,
  type Report,
  reportQuery,
} from "../../../kit/formula/report.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { inOneForm, mapOf, uniqueEntries } from "./mappings.ts";
import type { ModelReport, ReportFormula } from "./model.ts";
import { queryText } from "./query-text.ts";
import { dimensionOf, figureOf, figureWords } from "./report-words.ts";
import type { SourceMap, SourceNode, SourceScalar } from "./source.ts";

const keys = [
  "by",
  "across",
  "show",
  "order",
  "first",
  "highlight",
  "blanks",
  "ask",
  "only",
  "filter",
  "drawn",
  "for",
  "menu",
];

/** Reads `reports`: the rows of an entity in groups, under names. */
export function readReports(node: SourceNode, diagnostics: Diagnostics): ModelReport[] {
  const reports = mapOf(node, "`reports`", diagnostics);
  return uniqueEntries(reports, "report", diagnostics).flatMap(({ key, value }) => {
    const body = value && mapOf(value, `the report \`${key.text}\``, diagnostics);
    if (!body) {
      if (!value) {
        const help = "write such as `by: status` below it";
        diagnostics.error(key.at, `the report \`${key.text}\` says nothing`, help);
      }
      return [];
    }
    return [new Reader(body, diagnostics).report(key.text, key.at)];
  });
}

class Reader {
  readonly #formulas: ReportFormula[] = [];

  constructor(
    readonly body: SourceMap,
    readonly diagnostics: Diagnostics,
  ) {}

  report(name: string, at: Span): ModelReport {
    const known = new Map(
      uniqueEntries(this.body, "word", this.diagnostics).map(({ key, value }) => {
        if (!keys.includes(key.text)) {
          const close = nearest(key.text, keys);
          const help = close ? `did you mean \`${close}\`?` : `allowed here: ${keys.join(", ")}`;
          this.diagnostics.error(key.at, `\`${key.text}\` is not known here`, help);
        }
        return [key.text, value];
      }),
    );
    const by = this.#list(known.get("by"), mostGroups).map((each) => this.#dimension(each));
    const [across] = this.#list(known.get("across"), 1).map((each) => this.#dimension(each));
    const figures = this.#list(known.get("show"), mostFigures).flatMap((each) =>
      this.#figure(each),
    );
    const shown: Figure[] = figures.length > 0 ? figures : [{ kind: "count" }];
    const order = this.#one(known.get("order"));
    const mark = this.#one(known.get("highlight"));
    const [, formula = "", direction] =
      /^(.*?)(?:\s+(descending|ascending))?$/u.exec(order?.text.trim() ?? "") ?? [];
    const place = order ? this.#place(formula, shown, order) : undefined;
    const marked = mark && this.#mark(mark, shown);
    const first = this.#first(known.get("first"));
    const asked = this.#list(known.get("ask"), mostAsked).map((each) => this.#dimension(each));
    const report: Report = {
      groups: by,
      ...(across && { across }),
      figures: shown,
      ...(place !== undefined && {
        order: { figure: place, descending: direction === "descending" },
      }),
      ...(first !== undefined && { first }),
      ...(marked && { mark: marked }),
      ...(this.#isZero(known.get("blanks")) && { blanks: "zero" as const }),
      ...(asked.length > 0 && { ask: asked.map(({ formula }) => formula) }),
      drawn: this.#drawing(known.get("drawn")),
    };
    const query = reportQuery(report);
    const only = this.#one(known.get("only"));
    if (only) {
      const text = only.text.trim().replace(/^=\s*/, "");
      this.#formulas.push({ ...placed(only, text), gives: "condition" });
      query.set("only", text);
    }
    const filter = this.#one(known.get("filter"));
    for (const [parameter, value] of new URLSearchParams(filter?.text.trim() ?? ""))
      query.append(parameter, value);
    const groups = this.#list(known.get("for"), 50).map(({ text }) => inOneForm(text.trim()));
    const menu = this.#one(known.get("menu"))?.text.trim();
    if (menu !== undefined && !["yes", "true", "no", "false"].includes(menu)) {
      this.diagnostics.error(known.get("menu")?.at ?? at, "`menu` is yes or no");
    }
    return {
      name,
      query: queryText(query),
      formulas: this.#formulas,
      ...(groups.length > 0 && { groups }),
      ...((menu === "yes" || menu === "true") && { menu: true }),
      at,
    };
  }

  #dimension(node: SourceScalar): Dimension {
    const found = dimensionOf(node.text);
    this.#formulas.push({ ...placed(node, found.formula), gives: "group" });
    return found;
  }

  #figure(node: SourceScalar): Figure[] {
    const found = figureOf(node.text);
    if (!found) {
      this.diagnostics.error(
        node.at,
        `\`${node.text}\` is nothing that a report shows`,
        "write `count`, or `sum of`, `average of`, `smallest of` or `largest of` and a formula; with `share of` or `change of` before it",
      );
      return [];
    }
    if (found.kind !== "count") {
      const gives = found.kind === "sum" || found.kind === "average" ? "number" : "edge";
      this.#formulas.push({ ...placed(node, found.of), gives });
    }
    return [found];
  }

  /** Which of the figures some words are. */
  #place(words: string, figures: readonly Figure[], { at }: SourceScalar): number | undefined {
    const known = figures.map(figureWords);
    const place = known.indexOf(words.trim().replace(/\s+/g, " "));
    if (place >= 0) return place;
    const help = `name what it shows: ${known.map((each) => `\`${each}\``).join(", ")}`;
    this.diagnostics.error(at, `the report doesn't show \`${words}\``, help);
    return undefined;
  }

  #mark(node: SourceScalar, figures: readonly Figure[]): Mark | undefined {
    const [, kind = "", value = "", words] =
      /^(\S+)\s+(-?\d{1,15}(?:\.\d{1,6})?)(?:\s+by\s+(.+))?$/u.exec(node.text.trim()) ?? [];
    const known = markKinds.find((each) => each === kind);
    if (!known) {
      const help = "write such as `lowest 3`, `highest 3`, `below 20` or `above 20`";
      this.diagnostics.error(node.at, `\`${node.text}\` highlights nothing`, help);
      return undefined;
    }
    const place = words === undefined ? 0 : this.#place(words, figures, node);
    return place === undefined ? undefined : { kind: known, figure: place, value: Number(value) };
  }

  #first(node: SourceNode | undefined): number | undefined {
    const given = this.#one(node);
    if (!given) return undefined;
    const number = Number(given.text);
    if (Number.isInteger(number) && number > 0 && number <= 1000) return number;
    this.diagnostics.error(given.at, "`first` is a number of groups, from 1 to 1000");
    return undefined;
  }

  #isZero(node: SourceNode | undefined): boolean {
    const given = this.#one(node);
    if (given && given.text.trim() !== "zero") {
      this.diagnostics.error(given.at, `\`blanks\` can't be \`${given.text}\``, "write `zero`");
    }
    return given?.text.trim() === "zero";
  }

  #drawing(node: SourceNode | undefined): Report["drawn"] {
    const given = this.#one(node);
    const found = drawings.find((each) => each === given?.text.trim());
    if (given && !found) {
      const close = nearest(given.text, drawings);
      const help = close ? `did you mean \`${close}\`?` : `there are ${drawings.join(", ")}`;
      this.diagnostics.error(given.at, `a report can't be drawn as \`${given.text}\``, help);
    }
    return found ?? "table";
  }

  #one(node: SourceNode | undefined): SourceScalar | undefined {
    if (!node || node.kind === "scalar") return node;
    this.diagnostics.error(node.at, "a text was expected here");
    return undefined;
  }

  /** One text, or a list of them. */
  #list(node: SourceNode | undefined, most: number): SourceScalar[] {
    if (!node) return [];
    if (node.kind === "scalar") return [node];
    if (node.kind === "map") {
      this.diagnostics.error(node.at, "a text or a list was expected here");
      return [];
    }
    const texts = node.items.flatMap((item) => this.#one(item) ?? []);
    const tooMany = texts[most];
    if (tooMany) this.diagnostics.error(tooMany.at, `there can be ${most} of these at most`);
    return texts.slice(0, most);
  }
}

/** A formula within what is written, with its place. */
function placed({ text, origin, at }: SourceScalar, formula: string) {
  const start = origin === undefined ? undefined : origin + text.lastIndexOf(formula);
  return {
    formula: `= ${formula}`,
    // The sign before it isn't written.
    ...(start !== undefined && { origin: start - 2 }),
    at: start === undefined ? at : { start, end: start + formula.length },
  };
}
