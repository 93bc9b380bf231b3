import { nearest } from "../../../kit/formula/nearest.ts";
import { longestChoice } from "../fields/choice.ts";
import { isDate } from "../fields/date.ts";
import type { Default, FieldType, Kind, TypeOf } from "../fields/field-type.ts";
import { mostFiles, readSize, usualSize } from "../fields/files.ts";
import { nameHints } from "../fields/name-hints.ts";
import { numberTrouble, placesOf } from "../fields/numbers.ts";
import { rangeWords, type SpecialOption } from "../fields/type-rule.ts";
import { ruleOf, typeRules, typeWords } from "../fields/types.ts";
import { labelOf, withArticle } from "../naming/words.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { foreignOptions, foreignTypes } from "./foreign-words.ts";
import type { Field, Formula } from "./model.ts";
import {
  type ChoiceWord,
  type Definition,
  type OptionName,
  type OptionWord,
  optionNames,
  type Word,
} from "./notation.ts";

/**
 * Makes sense of a definition: its type, its range and its options, each against the table of types.
 * Undefined, with the reasons in `diagnostics`, where the type makes no sense.
 */
export function interpretField(
  name: Word,
  definition: Definition,
  entityNames: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Field | undefined {
  reportUnknownOptions(definition, diagnostics);
  const type = interpretType(name, definition, entityNames, diagnostics);
  if (!type) return undefined;
  const rule = ruleOf(type);
  const option = (wanted: OptionName): OptionWord | undefined => {
    const found = definition.options.get(wanted);
    if (!found) return undefined;
    const explained = rule.unfit?.[wanted as keyof typeof rule.unfit];
    const special = !everywhere.has(wanted) && !rule.options.includes(wanted as SpecialOption);
    if (special || explained) {
      diagnostics.error(
        found.at,
        `\`${wanted}\` can't be combined with ${withArticle(quoted(type.kind))}`,
        explained,
      );
      return undefined;
    }
    return found;
  };
  const flag = (wanted: OptionName): boolean => {
    const found = option(wanted);
    return found !== undefined && (found.text === "yes" || found.text === "true");
  };
  const [label, hint, placeholder, unit, was] = (
    ["label", "hint", "placeholder", "unit", "was"] as const
  ).map((wanted) => {
    const found = option(wanted);
    if (found && found.text.trim() === "") diagnostics.error(found.at, `\`${wanted}\` is blank`);
    return found?.text;
  });
  option("places");
  option("size");
  const control = option("as");
  const as = rule.controls?.find((each) => each === control?.text);
  if (control && rule.controls && !as) {
    diagnostics.error(control.at, `\`as\` is ${rule.controls.map(quoted).join(" or ")}`);
  }
  if (control && as === "slider") checkSlider(control.at, type, flag("required"), diagnostics);
  const fallback = option("default");
  const start =
    fallback &&
    (fallback.formula
      ? formulaDefault(fallback, type, diagnostics)
      : type.kind === "one" || type.kind === "user"
        ? personDefault(fallback, diagnostics)
        : interpretDefault("default", fallback, type, diagnostics));
  const needed = conditionOf(option("required when"));
  const shownWhen = conditionOf(option("shown when"));
  const offeredWhen = conditionOf(option("offered when"));
  const always = definition.options.get("required");
  if (needed && always) {
    diagnostics.error(
      always.at,
      "`required` stands beside `required when`",
      "take one of them out",
    );
  }
  // A field that is shown on a condition is required only when it is shown.
  const requiredWhen = needed ?? (flag("required") ? shownWhen : undefined);
  const filling = option("fill");
  const fill = filling && interpretDefault("fill", filling, type, diagnostics);
  return {
    name: name.text,
    label: label ?? labelOf(name.text),
    type,
    required:
      (flag("required") && !requiredWhen) || type.kind === "part of" || type.kind === "boolean",
    unique: flag("unique"),
    ...(requiredWhen && type.kind !== "boolean" && { requiredWhen }),
    ...(shownWhen && { shownWhen }),
    ...(offeredWhen && { offeredWhen }),
    ...(start && { default: start }),
    ...(hint && { hint }),
    ...(as && { as }),
    ...(placeholder && { placeholder }),
    ...(unit && { unit }),
    ...(was && { was }),
    ...(fill && { fill }),
    at: name.at,
  };
}

/** The default of a reference: nobody knows the numbers of records but that of who adds one. */
function personDefault({ text, at }: Word, diagnostics: Diagnostics): { me: true } | undefined {
  if (text.toLowerCase() === "me") return { me: true };
  const help = "`default me` is the record that the person who adds another one is";
  diagnostics.error(at, `a reference can't begin with \`${text}\``, help);
  return undefined;
}

/** A slider is always somewhere between two ends. */
function checkSlider(at: Span, type: FieldType, required: boolean, diagnostics: Diagnostics): void {
  const { min, max } = type as { min?: number; max?: number };
  if (required && min !== undefined && max !== undefined) return;
  const help = `write it as \`${type.kind} 0..10, required, as slider\``;
  diagnostics.error(at, "a slider needs a range with both ends, and a value", help);
}

/** A formula behind an option. */
function conditionOf(word: OptionWord | undefined): Formula | undefined {
  if (!word) return undefined;
  const { text, at } = word;
  // Where what was typed isn't what it means, `at` is the whole of it.
  const exact = at.end - at.start === text.length;
  return { formula: `=${text}`, ...(exact && { origin: at.start - 1 }), at };
}

function formulaDefault(
  word: OptionWord,
  type: FieldType,
  diagnostics: Diagnostics,
): Formula | undefined {
  if (type.kind !== "boolean") return conditionOf(word);
  const help = "a box is ticked or it isn't: write `default yes`, or compute the whole field";
  diagnostics.error(word.at, "the default of a `boolean` can't be a formula", help);
  return undefined;
}

/** Options that go with every type. */
const everywhere: ReadonlySet<OptionName> = new Set(["label", "hint", "shown when", "was"]);

function foreign(words: Readonly<Record<string, string>>, word: string): string | undefined {
  const small = word.toLowerCase();
  return Object.hasOwn(words, small) ? words[small] : undefined;
}

function quoted(word: string): string {
  return `\`${word}\``;
}

function reportUnknownOptions({ options }: Definition, diagnostics: Diagnostics): void {
  for (const [name, { at, text }] of options) {
    if (optionNames.includes(name)) continue;
    const ours = foreign(foreignOptions, name);
    const close = nearest(name, optionNames);
    diagnostics.error(
      text === "" ? { start: at.start, end: Math.min(at.end, at.start + name.length) } : at,
      `there is no option \`${name}\``,
      ours
        ? `write \`${ours}\``
        : close
          ? `did you mean \`${close}\`?`
          : `the options are ${optionNames.join(", ")}`,
    );
    options.delete(name);
  }
}

function interpretType(
  name: Word,
  definition: Definition,
  entityNames: ReadonlySet<string>,
  diagnostics: Diagnostics,
): FieldType | undefined {
  const { type: word, entity } = definition;
  if (!word) {
    const blank = definition.options.size === 0 && !definition.min && !definition.max;
    const guess = typeFromName(name.text, entityNames);
    if (blank)
      diagnostics.note(
        name.at,
        `\`${name.text}\` has no definition and is taken for \`${printType(guess)}\``,
      );
    if (definition.choices) {
      diagnostics.error(name.at, "`choices` without `type: choice`", "add type: choice");
    }
    return withRange(guess, definition, diagnostics);
  }
  if (!Object.hasOwn(typeRules, word.text) || word.text === "formula") {
    const close = nearest(word.text, typeWords);
    const asEntity = [...entityNames].find(
      (candidate) => candidate.toLowerCase() === word.text.toLowerCase(),
    );
    const ours = foreign(foreignTypes, word.text);
    const help = asEntity
      ? `for a relationship, write \`one ${asEntity}\` or \`many ${asEntity}\``
      : ours
        ? `write \`${ours}\``
        : close
          ? `did you mean \`${close}\`?`
          : `the types are ${typeWords.join(", ")}`;
    diagnostics.error(word.at, `there is no type \`${word.text}\``, help);
    return undefined;
  }
  const kind = word.text as Exclude<Kind, "formula">;
  if (kind === "one" || kind === "many" || kind === "part of") {
    if (!entity) {
      diagnostics.error(
        word.at,
        `\`${kind}\` needs an entity behind it`,
        `write \`${kind} Apiary\`, with a name of yours`,
      );
      return undefined;
    }
    if (!entityNames.has(entity.text)) {
      const close = nearest(entity.text, entityNames);
      diagnostics.error(
        entity.at,
        `there is no entity \`${entity.text}\``,
        close ? `did you mean \`${close}\`?` : "declare it under `entities`",
      );
      return undefined;
    }
    return withRange({ kind, entity: entity.text }, definition, diagnostics);
  }
  if (entity)
    diagnostics.error(
      entity.at,
      `${withArticle(quoted(kind))} refers to no entity`,
      "take `entity` out",
    );
  if (kind === "choice") {
    const choices = interpretChoices(word, definition.choices ?? [], diagnostics);
    return choices && withRange(choices, definition, diagnostics);
  }
  if (definition.choices) {
    diagnostics.error(word.at, `${withArticle(quoted(kind))} has no choices`, "use `type: choice`");
  }
  if (kind === "decimal" || kind === "money" || kind === "percent") {
    return withRange(
      { kind, places: interpretPlaces(definition, diagnostics) },
      definition,
      diagnostics,
    );
  }
  if (kind === "image" || kind === "file") {
    return withRange(
      { kind, size: interpretSize(kind, definition, diagnostics) },
      definition,
      diagnostics,
    );
  }
  return withRange({ kind } as FieldType, definition, diagnostics);
}

/** The type that a name suggests; text where it suggests nothing. */
export function typeFromName(name: string, entityNames: ReadonlySet<string>): FieldType {
  const flat = name.replaceAll("_", "").toLowerCase();
  const entity = [...entityNames].find((candidate) => candidate.toLowerCase() === flat);
  if (entity) return { kind: "one", entity };
  const kind = nameHints.find(([pattern]) => pattern.test(name))?.[1] ?? "text";
  if (kind === "image" || kind === "file") return { kind, size: usualSize[kind] };
  return (
    kind === "decimal" || kind === "money" || kind === "percent" ? { kind, places: 2 } : { kind }
  ) as FieldType;
}

function printType(type: FieldType): string {
  return "entity" in type ? `${type.kind} ${type.entity}` : type.kind;
}

function interpretChoices(
  type: Word,
  words: ChoiceWord[],
  diagnostics: Diagnostics,
): TypeOf<"choice"> | undefined {
  if (words.length === 0) {
    diagnostics.error(
      type.at,
      "`choice` needs its values",
      "write `choice active | weak | retired`",
    );
    return undefined;
  }
  const seen = new Map<string, ChoiceWord>();
  for (const word of words) {
    const key = word.text.toLowerCase();
    if (word.text.trim() === "") diagnostics.error(word.at, "a choice without a name");
    else if (word.text.length > longestChoice)
      diagnostics.error(word.at, `a choice has ${longestChoice} characters at most`);
    else if (seen.has(key))
      diagnostics.error(word.at, `the choice \`${word.text}\` appears here twice`, "take one out");
    else seen.set(key, word);
  }
  const formerly = new Map<string, string>();
  for (const { text, was } of seen.values()) {
    if (!was) continue;
    const other = formerly.get(was.text);
    if (was.text === text) {
      diagnostics.error(was.at, `the choice \`${text}\` was itself`, "take `was` out");
    } else if (other !== undefined) {
      diagnostics.error(
        was.at,
        `\`${other}\` and \`${text}\` both were \`${was.text}\``,
        "values move along once: take `was` out of the one that is new",
      );
    } else formerly.set(was.text, text);
  }
  const renamed = [...seen.values()].flatMap(({ text, was }) => (was ? [[text, was.text]] : []));
  return {
    kind: "choice",
    choices: [...seen.values()].map(({ text }) => text),
    ...(renamed.length > 0 && { formerly: Object.fromEntries(renamed) }),
  };
}

function interpretPlaces(definition: Definition, diagnostics: Diagnostics): number {
  const word = definition.options.get("places");
  if (!word) return 2;
  const places = Number(word.text);
  if (!/^\d+$/.test(word.text) || places > 10) {
    diagnostics.error(word.at, "`places` is a whole number up to 10");
    return 2;
  }
  return places;
}

function interpretSize(
  kind: "image" | "file",
  definition: Definition,
  diagnostics: Diagnostics,
): number {
  const word = definition.options.get("size");
  const size = word ? readSize(word.text) : usualSize[kind];
  if (size !== undefined) return size;
  const help = "write `size 5 MB`, or `size 500 kB`";
  diagnostics.error(word?.at ?? { start: 0, end: 0 }, "`size` is 1 kB to 200 MB", help);
  return usualSize[kind];
}

/** Adds the bounds, of the kind that the type's table entry names. */
function withRange(type: FieldType, { min, max }: Definition, diagnostics: Diagnostics): FieldType {
  const { range } = ruleOf(type);
  if (!min && !max) return type;
  if (range === "none") {
    diagnostics.error(
      (min ?? max)?.at ?? { start: 0, end: 0 },
      `${withArticle(quoted(type.kind))} takes no range`,
    );
    return type;
  }
  const places = placesOf(type);
  const read = (word: Word | undefined): string | number | undefined => {
    if (!word) return undefined;
    const wrong =
      range === "date"
        ? word.text !== "today" && !isDate(word.text)
        : range === "length"
          ? !/^\d{1,6}$/.test(word.text)
          : range === "files"
            ? !(/^\d{1,2}$/.test(word.text) && Number(word.text) <= mostFiles)
            : numberTrouble(word.text, places) !== undefined;
    if (wrong) {
      const why =
        range === "integer" || range === "decimal" ? numberTrouble(word.text, places) : undefined;
      diagnostics.error(
        word.at,
        `\`${word.text}\` can't be a bound here`,
        why ?? `a range gives ${rangeWords[range]}`,
      );
      return undefined;
    }
    return range === "date" ? word.text : Number(word.text);
  };
  const low = read(min);
  const high = read(max);
  if (min && max && low !== undefined && high !== undefined) {
    if (low !== "today" && high !== "today" && low > high) {
      diagnostics.error(
        { start: min.at.start, end: max.at.end },
        "the range ends before it begins",
        `write ${max.text}..${min.text}`,
      );
    }
  }
  if (type.kind === "text" && typeof high === "number" && high > 4000) {
    diagnostics.error(
      max?.at ?? { start: 0, end: 0 },
      "a text has 4000 characters at most",
      "use `long text`",
    );
  }
  return {
    ...type,
    ...(low !== undefined && { min: low }),
    ...(high !== undefined && { max: high }),
  } as FieldType;
}

function interpretDefault(
  option: "default" | "fill",
  { text, at }: Word,
  type: FieldType,
  diagnostics: Diagnostics,
): Default | undefined {
  const found = ruleOf(type).constant?.(text, type);
  if (!found || !("why" in found)) return found;
  diagnostics.error(at, `the ${option} \`${text}\` ${found.why}`, found.help);
  return undefined;
}
