import type { Kind } from "./model.ts";

/** What the range of a type limits. */
export type RangeMeaning = "length" | "integer" | "decimal" | "date" | "none";

/** The options that only some types take. `label`, `hint`, `shown when` and `was` go with all. */
export type SpecialOption =
  | "required"
  | "required when"
  | "unique"
  | "default"
  | "placeholder"
  | "unit"
  | "places"
  | "fill";

/** What the language knows of a type; the reference in docs/model.md is checked against this table. */
export interface TypeRule {
  range: RangeMeaning;
  options: readonly SpecialOption[];
  /** What it holds, in a sentence of the reference. */
  holds: string;
  /** False until an application can be built with it. */
  works: boolean;
}

const typed = ["required", "required when", "unique", "default", "fill", "placeholder"] as const;

/** All types, by the words that name them. */
export const typeRules: Readonly<Record<Kind, TypeRule>> = {
  text: {
    range: "length",
    options: typed,
    works: true,
    holds: "A line of text, 255 characters unless a range says otherwise.",
  },
  "long text": {
    range: "length",
    options: ["required", "required when", "placeholder", "default", "fill"],
    works: true,
    holds: "Text of several lines.",
  },
  integer: { range: "integer", options: [...typed, "unit"], works: true, holds: "A whole number." },
  decimal: {
    range: "decimal",
    options: [...typed, "unit", "places"],
    works: true,
    holds: "A number with digits after the point: two, unless `places` says otherwise; 15 in all.",
  },
  money: {
    range: "decimal",
    options: [...typed, "places"],
    works: true,
    holds: "An amount in the currency of the application.",
  },
  percent: {
    range: "decimal",
    options: [...typed, "places"],
    works: true,
    holds: "A percentage: `12.5` is 12.5 %.",
  },
  boolean: {
    range: "none",
    options: ["required", "default"],
    works: true,
    holds: "Yes or no; no, unless `default yes`.",
  },
  date: {
    range: "date",
    options: ["required", "required when", "unique", "default", "fill"],
    works: true,
    holds: "A day.",
  },
  time: {
    range: "none",
    options: ["required", "required when", "unique", "default", "fill"],
    works: true,
    holds: "A time of the day, to the minute.",
  },
  datetime: {
    range: "none",
    options: ["required", "required when", "unique", "default", "fill"],
    works: true,
    holds: "A moment: kept in UTC, shown in the time zone of the application.",
  },
  email: { range: "length", options: typed, works: true, holds: "An email address." },
  url: { range: "length", options: typed, works: true, holds: "A web address." },
  phone: {
    range: "length",
    options: typed,
    works: true,
    holds: "A telephone number, as people write it.",
  },
  color: {
    range: "none",
    options: ["required", "required when", "unique", "default", "fill"],
    works: true,
    holds: "A colour, as `#ffcc00`.",
  },
  image: {
    range: "none",
    options: ["required", "required when"],
    works: false,
    holds: "A picture.",
  },
  file: {
    range: "none",
    options: ["required", "required when"],
    works: false,
    holds: "A file of any kind.",
  },
  choice: {
    range: "none",
    options: ["required", "required when", "unique", "default", "fill"],
    works: true,
    holds: "One of a few texts: `choice active | weak | retired`.",
  },
  tags: {
    range: "none",
    options: ["required", "required when"],
    works: false,
    holds: "Any number of short words.",
  },
  user: {
    range: "none",
    options: ["required", "required when", "unique"],
    works: false,
    holds: "A user of the application.",
  },
  formula: {
    range: "none",
    options: ["unit", "places"],
    works: true,
    holds: 'A computed value: `"= weight * price"`.',
  },
  one: {
    range: "none",
    options: ["required", "required when", "unique", "fill"],
    works: true,
    holds:
      "A record of another entity: `one Apiary`. With `unique`, no two records have the same one.",
  },
  many: {
    range: "none",
    options: ["required", "required when"],
    works: true,
    holds: "Any number of records of another entity: `many Keeper`.",
  },
  "part of": {
    range: "none",
    options: ["unique", "fill"],
    works: true,
    holds:
      "The record that this one belongs to: it lives on that one's page and is deleted with it. Always required.",
  },
};

/** The words of all types that can be written down by name. */
export const typeWords = (Object.keys(typeRules) as Kind[]).filter((kind) => kind !== "formula");

/** The range in words, for messages and the reference. */
export const rangeWords: Readonly<Record<RangeMeaning, string>> = {
  length: "the length in characters",
  integer: "the least and the largest number",
  decimal: "the least and the largest number",
  date: "the earliest and the latest day, or `today`",
  none: "no range",
};

/** The type that a field's name suggests when it has no definition at all. First match wins. */
export const nameHints: readonly (readonly [RegExp, string])[] = [
  [/(^|_)e?mail$/, "email"],
  [/(^|_)(phone|mobile|telephone|tel|fax)$/, "phone"],
  [/(^|_)(url|website|homepage|link)$/, "url"],
  [/(^|_)colou?r$/, "color"],
  [/(^(is|has|can)_|^(active|enabled|done|paid|archived)$)/, "boolean"],
  [/(_at|^(timestamp|moment))$/, "datetime"],
  [
    /((^|_)(date|day|birthday)$|_on$|^(opened|closed|installed|removed|born|joined|begun|ended)$)/,
    "date",
  ],
  [/(^|_)(time|hour)$/, "time"],
  [/(^|_)(price|cost|amount|fee|total|salary|balance)$/, "money"],
  [/(^|_)(percent|percentage|rate|share)$/, "percent"],
  [
    /(^|_)(weight|height|width|length|depth|volume|area|temperature|latitude|longitude)$/,
    "decimal",
  ],
  [/(^|_)(count|number|quantity|age|year|rank|position|frames)$/, "integer"],
  [/(^|_)(notes?|description|comments?|remarks?|summary|details|text)$/, "long text"],
];
