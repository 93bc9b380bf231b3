import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics } from "./diagnostics.ts";
import { inOneForm, mapOf, uniqueEntries } from "./mappings.ts";
import type { Entity, Field, MenuEntry, Organisations, Texts, UserGroup } from "./model.ts";
import type { SourceEntry, SourceNode } from "./source.ts";

/**
 * Reads `labels`: by language tag, what people read instead of the labels of entities (`Hive: Colmena | Colmenas`),
 * fields (`Hive.code: Código`), choices (`Hive.status.weak: Débil`), groups (`group office: Oficina`), headings of the menu (`menu Bees: Abejas`), organisations (`organisation: Asociación | Asociaciones`), hints and
 * more. Adds them to the entities and the groups.
 */
export function interpretLabels(
  node: SourceNode,
  labelled: Labelled,
  diagnostics: Diagnostics,
): void {
  const languages = mapOf(node, "`labels`", diagnostics);
  for (const { key, value } of uniqueEntries(languages, "language", diagnostics)) {
    if (!isLanguage(key.text)) {
      diagnostics.error(key.at, `there is no language \`${key.text}\``, "write it as es or pt-BR");
      continue;
    }
    const labels = value && mapOf(value, `the labels in \`${key.text}\``, diagnostics);
    for (const entry of uniqueEntries(labels, "name", diagnostics)) {
      interpretLabel(entry, key.text, labelled, diagnostics);
    }
  }
}

/** What can have labels. */
interface Labelled {
  entities: readonly Entity[];
  groups: readonly UserGroup[];
  organisations: Organisations | undefined;
  menu: readonly MenuEntry[];
}

function isLanguage(tag: string): boolean {
  try {
    return tag !== "other" && Intl.getCanonicalLocales(tag).length === 1;
  } catch {
    return false;
  }
}

/**
 * What a name stands for: `Hive`, `Hive.code`, `Hive.status.weak`, `Hive.code hint`, `Hive section Place`, or
 * `Hive rule It weighs more than nothing`, `Hive highlight …`, `Hive view …` or `Hive report …`.
 */
const named =
  /^(?<entity>[^.\s]+)(?:\s+(?<part>section|rule|highlight|view|report)\s+(?<words>.+)|\.(?<field>[^.\s]+)(?:\.(?<choice>.+)|\s+(?<option>\S+))?)?$/u;

const translatedOptions = ["hint", "placeholder", "unit"] as const;

function interpretLabel(
  { key, value }: SourceEntry,
  language: string,
  { entities, groups, organisations, menu }: Labelled,
  diagnostics: Diagnostics,
): void {
  const text = value?.kind === "scalar" ? value.text.trim() : "";
  if (text === "") {
    diagnostics.error(value?.at ?? key.at, "a label was expected", "write it behind the name");
    return;
  }
  const unknown = (what: string, known: readonly string[], given: string): void => {
    const close = nearest(given, known);
    const all = known.length > 0 ? `there are ${known.join(", ")}` : "it has none";
    diagnostics.error(key.at, what, close ? `did you mean \`${close}\`?` : all);
  };
  const name = inOneForm(key.text).trim();
  const [, groupName] = /^group\s+(\S+)$/.exec(name) ?? [];
  if (groupName !== undefined) {
    const group = groups.find((each) => each.name === groupName);
    const known = groups.map((each) => each.name);
    if (group) group.labels = { ...group.labels, [language]: text };
    else unknown(`there is no group \`${groupName}\``, known, groupName);
    return;
  }
  if (name === "organisation" && organisations) {
    const [one = "", many = one] = text.split("|").map((word) => word.trim());
    organisations.labels = { ...organisations.labels, [language]: one };
    organisations.plurals = { ...organisations.plurals, [language]: many };
    return;
  }
  const [, heading] = /^menu\s+(.+)$/.exec(name) ?? [];
  if (heading !== undefined) {
    const headings = menu.flatMap((entry) => ("label" in entry ? entry : []));
    const entry = headings.find(({ label }) => label === heading);
    const known = headings.map(({ label }) => label);
    if (entry) entry.labels = { ...entry.labels, [language]: text };
    else unknown(`there is no \`${heading}\` in the menu`, known, heading);
    return;
  }
  const parts = named.exec(name)?.groups ?? { entity: name };
  const entity = entities.find((each) => each.name === parts.entity);
  if (!entity) {
    const known = entities.map((each) => each.name);
    unknown(`there is no entity \`${parts.entity}\``, known, parts.entity ?? "");
    return;
  }
  /** The same texts with this one. */
  const and = (texts: Texts | undefined): Texts => ({ ...texts, [language]: text });
  const { part, words = "", field: fieldName, choice, option } = parts;
  if (part === "section") {
    const section = entity.sections.find(({ title }) => title === words);
    if (section) section.titles = and(section.titles);
    else {
      const known = entity.sections.flatMap(({ title }) => title ?? []);
      unknown(`\`${entity.name}\` has no section \`${words}\``, known, words);
    }
    return;
  }
  if (part === "rule") {
    const rule = entity.rules.find(({ sentence }) => sentence === words);
    if (rule) rule.sentences = and(rule.sentences);
    else {
      const known = entity.rules.map(({ sentence }) => sentence);
      unknown(`\`${entity.name}\` has no rule \`${words}\``, known, words);
    }
    return;
  }
  if (part === "highlight") {
    const { highlights = [] } = entity;
    const highlight = highlights.find(({ sentence }) => sentence === words);
    if (highlight) highlight.sentences = and(highlight.sentences);
    else {
      const known = highlights.map(({ sentence }) => sentence);
      unknown(`\`${entity.name}\` has no highlight \`${words}\``, known, words);
    }
    return;
  }
  if (part === "view" || part === "report") {
    const named = (part === "view" ? entity.views : entity.reports) ?? [];
    const found = named.find((each) => each.name === words);
    if (found) found.names = and(found.names);
    else {
      const known = named.map((each) => each.name);
      unknown(`\`${entity.name}\` has no ${part} \`${words}\``, known, words);
    }
    return;
  }
  if (fieldName === undefined) {
    const [label = "", plural = label] = text.split("|").map((each) => each.trim());
    entity.labels = { ...entity.labels, [language]: label };
    entity.plurals = { ...entity.plurals, [language]: plural };
    return;
  }
  const field = entity.fields.find((each) => each.name === fieldName);
  if (!field) {
    const known = entity.fields.map((each) => each.name);
    unknown(`\`${entity.name}\` has no field \`${fieldName}\``, known, fieldName);
    return;
  }
  if (option !== undefined) {
    const given = translatedOptions.filter((each) => field[each] !== undefined);
    const known = given.find((each) => each === option);
    if (known)
      field.translations = { ...field.translations, [known]: and(field.translations?.[known]) };
    else unknown(`\`${entity.name}.${fieldName}\` has no ${option} to translate`, given, option);
    return;
  }
  if (choice === undefined) {
    field.labels = and(field.labels);
    return;
  }
  const choices = choicesOf(field);
  if (choices.includes(choice)) {
    field.choiceLabels = { ...field.choiceLabels, [choice]: and(field.choiceLabels?.[choice]) };
  } else {
    unknown(`\`${entity.name}.${fieldName}\` has no choice \`${choice}\``, choices, choice);
  }
}

function choicesOf({ type }: Field): readonly string[] {
  return type.kind === "choice" ? type.choices : [];
}
