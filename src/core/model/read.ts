import { inSentence, labelOf, pluralOf } from "../naming/words.ts";
import { interpretDashboard } from "./dashboard.ts";
import { type Diagnostic, Diagnostics, type Span } from "./diagnostics.ts";
import { interpretEmbedded } from "./embedded.ts";
import { interpretField } from "./fields.ts";
import {
  checkShape,
  entryAt,
  inOneForm,
  mapOf,
  textAt,
  uniqueEntries,
  valueAt,
} from "./mappings.ts";
import { interpretMenu } from "./menu.ts";
import {
  type AppSettings,
  archiveField,
  type Entity,
  type Field,
  type Model,
  type Users,
} from "./model.ts";
import { checkEntityName, checkFieldName, checkMeetings } from "./names.ts";
import {
  type ChoiceWord,
  type Definition,
  type OptionName,
  type OptionWord,
  optionValues,
  parseDefinition,
  type Word,
} from "./notation.ts";
import { interpretPresentation } from "./presentation.ts";
import { checkRelations } from "./relations.ts";
import { checkRights, interpretRights } from "./rights.ts";
import { interpretSeed } from "./seed.ts";
import { appShape, entityShape, fieldShape, fileShape } from "./shapes.ts";
import {
  readSource,
  type SourceEntry,
  type SourceMap,
  type SourceNode,
  type SourceScalar,
} from "./source.ts";
import { interpretLabels } from "./translations.ts";
import { interpretUsers } from "./users.ts";

/** What reading a model gives: the model when it has no errors, and everything there is to say. */
export interface Reading {
  model?: Model;
  diagnostics: Diagnostic[];
}

/** Reads a model file. Never throws: whatever is wrong with it is among the diagnostics, all at once. */
export function readModel(text: string): Reading {
  const diagnostics = new Diagnostics();
  const model = readAll(text, diagnostics);
  const said = diagnostics.sorted();
  return model && !diagnostics.hasErrors ? { model, diagnostics: said } : { diagnostics: said };
}

function readAll(text: string, diagnostics: Diagnostics): Model | undefined {
  try {
    const root = readSource(text, diagnostics);
    return root && interpretFile(root, diagnostics);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    // The stack overflowed: thousands of nested brackets, or a very long chain of references.
    diagnostics.error(
      { start: 0, end: 1 },
      "this is nested or chained too deeply to be read",
      "look for brackets that are never closed, or thousands of entities that each refer to the next",
    );
    return undefined;
  }
}

function interpretFile(root: SourceNode, diagnostics: Diagnostics): Model | undefined {
  const file = mapOf(root, "the file", diagnostics);
  if (!file) return undefined;
  checkShape(fileShape, file, diagnostics);
  const app = interpretApp(valueAt(file, "app"), diagnostics);
  const declared = entryAt(file, "entities");
  const entities = declared?.value && mapOf(declared.value, "`entities`", diagnostics);
  if (!entities || entities.entries.length === 0) {
    const at = declared?.key.at ?? { start: root.at.start, end: root.at.start + 1 };
    if (!declared?.value || entities) {
      diagnostics.error(at, "the model has no entities", "declare at least one under `entities:`");
    }
    return undefined;
  }
  const unique = uniqueEntries(entities, "entity", diagnostics);
  const names = new Set(
    unique
      .filter(({ key }) => checkEntityName(key, diagnostics))
      .map(({ key }) => inOneForm(key.text)),
  );
  const found = unique
    .filter(({ key }) => names.has(inOneForm(key.text)))
    .flatMap((entry) => interpretEntity(entry, names, diagnostics) ?? []);
  const users = entryAt(file, "users");
  const signingIn = users && interpretUsers(users, names, diagnostics);
  for (const { fields } of found) resolveUsers(signingIn, fields, diagnostics);
  readRights(entities, found, signingIn, diagnostics);
  const labels = valueAt(file, "labels");
  const groups = signingIn?.groups ?? [];
  const organisations = signingIn?.organisations;
  for (const entity of found) checkReaders(entity, signingIn, diagnostics);
  const dashboard = valueAt(file, "dashboard");
  const tiles = dashboard && interpretDashboard(dashboard, found, diagnostics);
  const menu = valueAt(file, "menu");
  const entries = menu && interpretMenu(menu, found, diagnostics);
  const embedded = valueAt(file, "embedded");
  const shown = { entities: found, users: signingIn };
  const pages = embedded && interpretEmbedded(embedded, shown, diagnostics);
  const labelled = { entities: found, groups, organisations, menu: entries ?? [] };
  if (labels) interpretLabels(labels, labelled, diagnostics);
  const model: Model = {
    app,
    ...(signingIn && { users: signingIn }),
    entities: found,
    ...(tiles && { dashboard: tiles }),
    ...(entries && { menu: entries }),
    ...(pages && { embedded: pages }),
  };
  checkMeetings(model, diagnostics);
  checkRelations(model, diagnostics);
  return model;
}

/** Checks that reports are for groups that there are. */
function checkReaders(
  { reports = [] }: Entity,
  users: Users | undefined,
  diagnostics: Diagnostics,
): void {
  const known = users?.groups.map(({ name }) => name) ?? [];
  for (const { name, groups = [], at } of reports) {
    for (const group of groups.filter((each) => !known.includes(each))) {
      const help = users
        ? `there are ${known.join(", ")}`
        : "add `users:` to the model: people sign in then, and belong to groups";
      diagnostics.error(at, `\`${name}\` is for \`${group}\`, and there is no such group`, help);
    }
  }
}

/** The rights of the entities, which name the groups of the users. */
function readRights(
  { entries }: SourceMap,
  found: readonly Entity[],
  users: Users | undefined,
  diagnostics: Diagnostics,
): void {
  for (const entity of found) {
    const body = entries.find(({ key }) => key.at === entity.at)?.value;
    const rights = body?.kind === "map" ? entryAt(body, "rights") : undefined;
    if (!rights) continue;
    if (!users) {
      const help = "add `users:` to the model: people sign in then, and belong to groups";
      diagnostics.error(rights.key.at, "rights need people who sign in", help);
    } else if (rights.value)
      entity.rights = interpretRights(rights.value, users, entity, diagnostics);
    else entity.rights = {};
  }
  if (users) for (const entity of found) checkRights(users, entity, diagnostics);
  for (const entity of found) {
    const body = entries.find(({ key }) => key.at === entity.at)?.value;
    readShared(body, entity, users, diagnostics);
  }
  checkShared(found, diagnostics);
  for (const { fields } of found) checkPeople(users, fields, diagnostics);
}

/** Reads whether all organisations have the same records of an entity. */
function readShared(
  body: SourceNode | undefined,
  entity: Entity,
  users: Users | undefined,
  diagnostics: Diagnostics,
): void {
  const shared = body?.kind === "map" ? entryAt(body, "shared") : undefined;
  const isShared = body?.kind === "map" && isYes(body, "shared", diagnostics);
  if (shared && !users?.organisations) {
    const help = "write `organisations` under `users`, or take the line out";
    diagnostics.error(shared.key.at, "without organisations, all records are shared", help);
  }
  if (users?.organisations && !isShared) entity.organised = true;
  if (!entity.organised) return;
  const taken = entity.fields.find(
    ({ name }) => name === "organisation" || name === "organisation_id",
  );
  if (!taken) return;
  const help = `choose another name, or let all organisations have the same records: \`shared: yes\``;
  diagnostics.error(taken.at, `\`${taken.name}\` is what the record belongs to already`, help);
}

/** Whether a key says yes; no, where it isn't there. It may say something else, which was looked for already. */
function isYes(body: SourceMap, key: string, diagnostics: Diagnostics, other?: string): boolean {
  const entry = entryAt(body, key);
  const said = entry?.value?.kind === "scalar" ? entry.value.text.trim().toLowerCase() : "";
  if (entry && !["yes", "true", "no", "false"].includes(said)) {
    const what = other === undefined ? "yes or no" : `yes, no or \`${other}\``;
    diagnostics.error(entry.key.at, `\`${key}\` is ${what}`, `write \`${key}: yes\``);
  }
  return said === "yes" || said === "true";
}

/** Checks that references lead from no shared record to one of an organisation. */
function checkShared(entities: readonly Entity[], diagnostics: Diagnostics): void {
  const organised = new Set(entities.filter((each) => each.organised).map(({ name }) => name));
  for (const { organised: isOrganised, name, fields } of entities) {
    if (isOrganised || organised.size === 0) continue;
    for (const { type, at } of fields) {
      if (!("entity" in type) || !organised.has(type.entity)) continue;
      diagnostics.error(
        at,
        `\`${name}\` is shared by all organisations, and a \`${type.entity}\` belongs to one`,
        `take out \`shared\`, or share \`${type.entity}\`, too`,
      );
    }
  }
}

/** Makes fields of the type `user` references to the entity whose records people are. */
function resolveUsers(
  users: Users | undefined,
  fields: readonly Field[],
  diagnostics: Diagnostics,
): void {
  for (const field of fields) {
    if (field.type.kind !== "user") continue;
    if (users?.record !== undefined) {
      field.type = { kind: "one", entity: users.record, signsIn: true };
      continue;
    }
    diagnostics.error(
      field.at,
      `\`${field.name}\` holds someone who can sign in, and the model doesn't say whose records they are`,
      "write such as `record: Keeper` under `users`, with an entity of yours",
    );
  }
}

/** Checks that fields that begin with who adds a record hold a record that people are. */
function checkPeople(
  users: Users | undefined,
  fields: readonly Field[],
  diagnostics: Diagnostics,
): void {
  for (const { name, type, default: start, at } of fields) {
    if (!start || !("me" in start)) continue;
    const of = type.kind === "one" ? type.entity : undefined;
    if (of !== undefined && of === users?.record) continue;
    diagnostics.error(
      at,
      `\`${name}\` can't begin with \`me\`: people aren't linked to records of \`${of}\``,
      `write \`record: ${of}\` under \`users\``,
    );
  }
}

function interpretApp(node: SourceNode | undefined, diagnostics: Diagnostics): AppSettings {
  const settings: AppSettings = {
    name: "My application",
    language: "en",
    currency: "EUR",
    timezone: "UTC",
    database: "sqlite",
    look: "honey",
    offline: true,
  };
  const app = node && mapOf(node, "`app`", diagnostics);
  if (!app) return settings;
  checkShape(appShape, app, diagnostics);
  for (const { key, value } of uniqueEntries(app, "setting", diagnostics)) {
    if (value?.kind !== "scalar" || !isSetting(key.text)) continue;
    const { text, at } = value;
    const trouble = settingTrouble(key.text, text);
    if (trouble) diagnostics.error(at, trouble[0], trouble[1]);
    else if (key.text === "offline") settings.offline = text === "yes" || text === "true";
    else if (key.text === "logo" || key.text === "icon") settings[key.text] = { path: text, at };
    else Object.assign(settings, { [key.text]: text });
  }
  return settings;
}

function isSetting(name: string): name is keyof AppSettings {
  return Object.hasOwn(appShape.shape, name);
}

/** Whether a path leads to a picture in the folder of the model, or below it. */
function isPicturePath(text: string): boolean {
  return /^(?!.*(^|\/)\.\.?(\/|$))[^\\:\0/][^\\:\0]*\.(svg|png)$/i.test(text);
}

function settingTrouble(name: keyof AppSettings, text: string): [string, string] | undefined {
  try {
    if (name === "accent" && !/^#[0-9a-f]{6}$/i.test(text)) {
      return ["an accent is a colour of six digits", 'write it in quotes, as "#3355aa"'];
    }
    if ((name === "logo" || name === "icon") && !isPicturePath(text)) {
      return [
        `\`${name}\` is an .svg or .png file beside the model`,
        `write its path from there, such as pictures/${name}.svg`,
      ];
    }
    if (name === "name" && (text.trim() === "" || [...text].length > 60)) {
      return ["the name of an application has 1 to 60 characters", "shorten it"];
    }
    if (name === "language") Intl.getCanonicalLocales(text);
    if (name === "timezone") new Intl.DateTimeFormat("en", { timeZone: text });
    if (name === "currency" && !Intl.supportedValuesOf("currency").includes(text)) {
      throw new RangeError();
    }
    return undefined;
  } catch {
    const examples = { language: "en or es-MX", timezone: "Europe/Madrid", currency: "EUR or USD" };
    const example = examples[name as keyof typeof examples];
    return [`there is no ${name} \`${text}\``, `write it as ${example}`];
  }
}

function interpretEntity(
  { key, value }: SourceEntry,
  names: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Entity | undefined {
  const body = value && mapOf(value, `the entity \`${key.text}\``, diagnostics);
  if (!body) {
    if (!value)
      diagnostics.error(key.at, `\`${key.text}\` has no fields`, "add `fields:` below it");
    return undefined;
  }
  checkShape(entityShape, body, diagnostics);
  const declared = entryAt(body, "fields");
  const list = declared?.value && mapOf(declared.value, "`fields`", diagnostics);
  if (!declared?.value || list?.entries.length === 0) {
    diagnostics.error(
      declared?.key.at ?? key.at,
      `\`${key.text}\` has no fields`,
      "an entity has at least one",
    );
  }
  const label = textAt(body, "label") ?? labelOf(key.text);
  const was = textAt(body, "was");
  const fields = uniqueEntries(list, "field", diagnostics).flatMap((entry) =>
    checkFieldName(entry.key, diagnostics) ? (interpretEntry(entry, names, diagnostics) ?? []) : [],
  );
  const entity: Entity = {
    name: inOneForm(key.text),
    label,
    plural: textAt(body, "plural") ?? pluralOf(label),
    fields,
    columns: [],
    sections: [],
    sort: [],
    unique: [],
    rules: [],
    ...(was !== undefined && { was }),
    at: key.at,
  };
  const icon = valueAt(body, "icon");
  if (icon?.kind === "scalar") entity.icon = { name: icon.text.trim(), at: icon.at };
  const archive = archiveOf(body, diagnostics);
  if (archive) {
    entity.archive = archive;
    const taken = fields.find(({ name }) => name === archiveField);
    if (taken) {
      const help = "choose another name, or take `archive` out";
      diagnostics.error(taken.at, `\`${archiveField}\` says when a record was archived`, help);
    } else fields.push(archivedAt(key.at));
  }
  const broken = new Set((list?.entries ?? []).map((entry) => inOneForm(entry.key.text)));
  for (const field of fields) broken.delete(field.name);
  interpretPresentation(entity, body, broken, diagnostics);
  const seed = valueAt(body, "seed");
  const rows = seed && interpretSeed(seed, entity, broken, diagnostics);
  if (rows) entity.seed = rows;
  return entity;
}

const freesUnique = "frees unique values";

/** What `archive` says: yes, no, or that archived records leave their unique values to others. */
function archiveOf(body: SourceMap, diagnostics: Diagnostics): Entity["archive"] {
  const value = valueAt(body, "archive");
  if (value?.kind === "scalar" && value.text.trim() === freesUnique) return freesUnique;
  return isYes(body, "archive", diagnostics, freesUnique) ? "yes" : undefined;
}

function archivedAt(at: Span): Field {
  return {
    name: archiveField,
    label: "Archived",
    labels: { es: "Archivado" },
    type: { kind: "datetime" },
    required: false,
    unique: false,
    at,
  };
}

function interpretEntry(
  { key, value }: SourceEntry,
  names: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Field | undefined {
  const name = { text: inOneForm(key.text), at: key.at };
  if (!value) return interpretField(name, { options: new Map() }, names, diagnostics);
  if (value.kind === "list") {
    diagnostics.error(
      value.at,
      "a definition was expected",
      'write it as a line, "text, required"; a list of values is `choice a | b`',
    );
    return undefined;
  }
  if (value.kind === "map") {
    const definition = longDefinition(value, diagnostics);
    const formula = valueAt(value, "value");
    if (definition && formula?.kind === "scalar") {
      return formulaField(name, formula, definition, diagnostics);
    }
    return definition && interpretField(name, definition, names, diagnostics);
  }
  if (value.text.startsWith("=")) return formulaField(name, value);
  if (value.comment !== undefined && /^\S/.test(value.comment)) {
    const help = "put the whole line in quotes if it belongs to the definition";
    const at = { start: value.at.end, end: value.at.end + value.comment.length + 2 };
    diagnostics.note(at, "everything behind ` #` is taken for a remark", help);
  }
  const { definition, complaints } = parseDefinition(value.text, placer(value));
  for (const { at, message, help } of complaints) diagnostics.error(at, message, help);
  if (complaints.length > 0 && !definition.type) return undefined;
  return interpretField(name, definition, names, diagnostics);
}

/** What a computed field can say of itself besides its formula. */
const formulaOptions: readonly string[] = ["label", "unit", "places"];

function formulaField(
  name: Word,
  { text, origin }: { text: string; origin?: number },
  { type, options }: Definition = { options: new Map() },
  diagnostics?: Diagnostics,
): Field {
  if (type) {
    diagnostics?.error(
      type.at,
      "what is computed has the type that its formula gives",
      "take the type out",
    );
  }
  for (const [option, { at }] of options) {
    if (formulaOptions.includes(option)) continue;
    const help = `it can have ${formulaOptions.join(", ")}`;
    diagnostics?.error(at, `a computed field has no \`${option}\``, help);
  }
  const places = options.get("places");
  if (places && !/^[0-6]$/.test(places.text)) {
    diagnostics?.error(
      places.at,
      "`places` is a whole number from 0 to 6 here",
      "as in `places: 2`",
    );
  }
  const unit = options.get("unit")?.text;
  return {
    name: name.text,
    label: options.get("label")?.text ?? labelOf(name.text),
    type: {
      kind: "formula",
      formula: text,
      ...(origin !== undefined && { origin }),
      ...(places && { rounded: Number(places.text) }),
    },
    required: false,
    unique: false,
    ...(unit && { unit }),
    at: name.at,
  };
}

/** Turns a place within a scalar's text into a place in the file. */
function placer({ origin, at }: { origin?: number; at: Span }) {
  return (span: Span): Span =>
    origin === undefined ? at : { start: origin + span.start, end: origin + span.end };
}

/** A field in the long notation, as the same definition that the short one gives. */
function longDefinition(body: SourceMap, diagnostics: Diagnostics): Definition | undefined {
  const before = diagnostics.all.length;
  checkShape(fieldShape, body, diagnostics);
  if (diagnostics.all.length > before) return undefined;
  const definition: Definition = { options: new Map() };
  for (const { key, value } of uniqueEntries(body, "word", diagnostics)) {
    if (!value) {
      diagnostics.error(key.at, `\`${key.text}\` has nothing behind it`);
    } else if (key.text === "choices" && value.kind === "list") {
      definition.choices = value.items.flatMap((item) =>
        item.kind === "scalar" ? [choiceWord(item)] : [],
      );
    } else if (value.kind !== "scalar") {
      diagnostics.error(value.at, `a text was expected behind \`${key.text}\``);
    } else if (key.text === "type") {
      const { definition: typed, complaints } = parseDefinition(value.text, placer(value));
      for (const { at, message, help } of complaints) diagnostics.error(at, message, help);
      Object.assign(definition, {
        ...typed,
        options: new Map([...definition.options, ...typed.options]),
      });
    } else if (key.text === "min" || key.text === "max" || key.text === "entity") {
      definition[key.text] = { text: value.text, at: value.at };
    } else if (key.text === "value") {
      if (!value.text.startsWith("=")) {
        diagnostics.error(
          value.at,
          "a formula begins with `=`",
          'as in `value: "= weight * price"`',
        );
      }
    } else if (isFormulaOption(key.text, value.text)) {
      definition.options.set(key.text as OptionName, formulaWord(value));
    } else if (value.text !== "no" && value.text !== "false") {
      definition.options.set(key.text as OptionName, { text: value.text, at: value.at });
    } else if (key.text === "default") {
      definition.options.set("default", { text: value.text, at: value.at });
    }
  }
  return definition;
}

function isFormulaOption(name: string, text: string): boolean {
  return Object.hasOwn(optionValues, name) && optionValues[name as OptionName] === "a condition"
    ? true
    : name === "default" && text.startsWith("=");
}

/** A formula behind a word of the long notation, with or without its `=`. */
function formulaWord({ text, origin, at }: SourceScalar): OptionWord {
  const body = text.replace(/^=\s*/, "");
  const start = origin === undefined ? undefined : origin + text.length - body.length;
  return {
    text: body,
    at: start === undefined ? at : { start, end: start + body.length },
    formula: true,
  };
}

/** A value of a list of choices: `gone was retired` in one piece, unless it is in quotes. */
function choiceWord({ text, at, quoted }: Extract<SourceNode, { kind: "scalar" }>): ChoiceWord {
  const parts = quoted ? null : /^(.+?)\s+was\s+(.+)$/u.exec(text);
  return parts ? { text: parts[1] ?? "", at, was: { text: parts[2] ?? "", at } } : { text, at };
}

/** A label as it is within a sentence, and the same of several. */
export function spokenNames({ label, plural }: Entity): { one: string; many: string } {
  return { one: inSentence(label), many: inSentence(plural) };
}
