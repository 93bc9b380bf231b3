import { nearest } from "../naming/nearest.ts";
import type { Diagnostics } from "./diagnostics.ts";
import { inOneForm, mapOf, uniqueEntries } from "./mappings.ts";
import type { Entity, Field } from "./model.ts";
import type { SourceEntry, SourceNode } from "./source.ts";

/**
 * Reads `labels`: by language tag, what people read instead of the labels of entities (`Hive: Colmena | Colmenas`),
 * fields (`Hive.code: Código`) and choices (`Hive.status.weak: Débil`). Adds them to the entities.
 */
export function interpretLabels(
  node: SourceNode,
  entities: readonly Entity[],
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
      interpretLabel(entry, key.text, entities, diagnostics);
    }
  }
}

function isLanguage(tag: string): boolean {
  try {
    return tag !== "other" && Intl.getCanonicalLocales(tag).length === 1;
  } catch {
    return false;
  }
}

function interpretLabel(
  { key, value }: SourceEntry,
  language: string,
  entities: readonly Entity[],
  diagnostics: Diagnostics,
): void {
  const text = value?.kind === "scalar" ? value.text.trim() : "";
  if (text === "") {
    diagnostics.error(value?.at ?? key.at, "a label was expected", "write it behind the name");
    return;
  }
  const [name = "", fieldName, ...rest] = inOneForm(key.text).split(".");
  const entity = entities.find((each) => each.name === name);
  const field = entity?.fields.find((each) => each.name === fieldName);
  const choice = rest.join(".");
  const unknown = (what: string, known: readonly string[], given: string) => {
    const close = nearest(given, known);
    const all = known.length > 0 ? `there are ${known.join(", ")}` : "it has none";
    const help = close ? `did you mean \`${close}\`?` : all;
    diagnostics.error(key.at, what, help);
  };
  if (!entity) {
    const known = entities.map((each) => each.name);
    unknown(`there is no entity \`${name}\``, known, name);
    return;
  }
  if (fieldName === undefined) {
    const [label = "", plural = label] = text.split("|").map((part) => part.trim());
    entity.labels = { ...entity.labels, [language]: label };
    entity.plurals = { ...entity.plurals, [language]: plural };
    return;
  }
  if (!field) {
    const known = entity.fields.map((each) => each.name);
    unknown(`\`${name}\` has no field \`${fieldName}\``, known, fieldName);
    return;
  }
  if (rest.length === 0) {
    field.labels = { ...field.labels, [language]: text };
    return;
  }
  const choices = choicesOf(field);
  if (!choices.includes(choice)) {
    unknown(`\`${name}.${fieldName}\` has no choice \`${choice}\``, choices, choice);
    return;
  }
  const before = field.choiceLabels?.[choice];
  field.choiceLabels = { ...field.choiceLabels, [choice]: { ...before, [language]: text } };
}

function choicesOf({ type }: Field): readonly string[] {
  return type.kind === "choice" ? type.choices : [];
}
