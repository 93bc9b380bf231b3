import type { Default, FieldType } from "../fields/field-type.ts";
import type { Control } from "../fields/type-rule.ts";
import type { Span } from "./diagnostics.ts";

/** A model that was read and found right: every name in it is known, every value within its bounds. */
export interface Model {
  app: AppSettings;
  /** Who signs in; nobody does without it. */
  users?: Users;
  entities: Entity[];
  /** What the start page shows; what the entities suggest, without it. */
  dashboard?: Tile[];
  /** The menu; all entities in their order, without it. */
  menu?: MenuEntry[];
  /** The pages that may stand in pages of other sites. */
  embedded?: EmbeddedPage[];
}

/** What can stand in pages of other sites. */
export const embeddedKinds = ["list", "record", "form", "report", "calendar"] as const;
export type EmbeddedKind = (typeof embeddedKinds)[number];

/** A page that may stand in pages of other sites, where visitors use it. */
export interface EmbeddedPage {
  /** Such as `our-apiaries`: a part of its address. */
  name: string;
  kind: EmbeddedKind;
  entity: string;
  /** The view or report that a list, a calendar or a report shows. */
  view?: string;
  /** The sites that may show it, such as `https://bees.example`. */
  origins: string[];
  /** How many forms one address may send in a quarter of an hour. */
  limit?: number;
}

/** An entry of the menu: an entity, several under a heading, or a link. */
export type MenuEntry =
  | { entity: string }
  | { label: string; labels?: Texts; entities: string[] }
  | { label: string; labels?: Texts; href: string };

/** A part of the start page: a view of an entity. */
export interface Tile {
  entity: string;
  view: string;
}

/** The people who sign in. */
export interface Users {
  /** The entity whose records people are: `me` is one of them. */
  record?: string;
  /** Whether people may sign up, and whether an administrator lets them in; otherwise they are invited. */
  signUp?: "open" | "confirmed";
  /** The groups of people who sign up. */
  newcomers: string[];
  groups: UserGroup[];
  /**
   * Whether administrators change rights in the running application: those of the model are then the most there can be,
   * or only what there is at first. Otherwise they are fixed.
   */
  rightsAre?: "ceiling" | "start";
  /** What keeps its records apart from those of others, if anything does. */
  organisations?: Organisations;
  /** What they may do with the entities that have no rights of their own. */
  rights: Rights;
  at: Span;
}

/** Organisations that work in one application, each with records and people of its own. */
export interface Organisations {
  /** What one is called, and several. */
  label: string;
  plural: string;
  labels?: Texts;
  plurals?: Texts;
  /** Who may begin another one; otherwise the administrators of the first. */
  openTo?: "everyone";
  /** What organisations may have, by the names of plans; a new one has the first. */
  plans: Plan[];
}

/** What an organisation may have at most. */
export interface Plan {
  name: string;
  /** Records, by the names of entities; and people. */
  records: ReadonlyMap<string, number>;
  people?: number;
  /** What nobody may do with it. */
  without: PlanFeature[];
}

/** What a plan can leave out. */
export const planFeatures = ["history", "export"] as const;
export type PlanFeature = (typeof planFeatures)[number];

export interface UserGroup {
  /** Such as `office`. */
  name: string;
  label: string;
  /** The label in other languages, by the tag of each. */
  labels?: Texts;
}

/** What may be done with the records of an entity, as the application's kit names it, too. */
export const actions = ["see", "add", "change", "delete", "history", "export"] as const;
export type Action = (typeof actions)[number];

/** What may be done, by the name of a group. */
export type Rights = Readonly<Record<string, readonly Grant[]>>;

/** What a group may do, with all records or with those for which a condition holds. */
export interface Grant {
  may: readonly Action[];
  /** It may look at `me`, whoever asks. */
  where?: Formula;
  /** The fields that don't exist for the group. */
  hidden?: readonly string[];
  /** The fields that the group sees, and doesn't fill in. */
  readOnly?: readonly string[];
}

export const databases = ["sqlite", "postgres", "mariadb"] as const;
export type DatabaseKind = (typeof databases)[number];

export interface AppSettings {
  name: string;
  /** A language tag. */
  language: string;
  /** An ISO 4217 code. */
  currency: string;
  /** An IANA time zone. */
  timezone: string;
  database: DatabaseKind;
  /** The colours of its pages. */
  look: Look;
  /** The colour of what can be pressed, as `#3355aa`, in place of that of the look. */
  accent?: string;
  /** The picture beside its name, and the one that stands for it in tabs and among the applications of a device. */
  logo?: Picture;
  icon?: Picture;
  /** Whether pages that were seen can be seen without a connection. */
  offline: boolean;
}

/** A picture beside the model: its file, and, once that was read, its content as SVG. */
export interface Picture {
  path: string;
  at: Span;
  svg?: string;
}

/** The looks that an application can have; `kit/ui/looks.css` has their colours. */
export const looks = ["honey", "moss", "slate", "plum"] as const;
export type Look = (typeof looks)[number];

/** What people read, by language tag. */
export type Texts = Readonly<Record<string, string>>;

export interface Entity {
  /** Such as `QueenLine`. */
  name: string;
  label: string;
  /** The label of several. */
  plural: string;
  /** Both in other languages, by the tag of each. */
  labels?: Texts;
  plurals?: Texts;
  /** What a record is called: words, and the values of fields; undefined for label and number. */
  title?: TitlePart[];
  fields: Field[];
  /** Fields, automatic ones among them, that lists show; or several in one column, with their names in braces. */
  columns: string[];
  /** The field whose choices stand above its list as tabs. */
  tabs?: string;
  /**
   * Whether its records can be archived, which its field `archived_at` then says; and whether what is unique in an
   * archived one may be used again.
   */
  archive?: "yes" | "frees unique values";
  /** The picture beside its name in the menu: by its name, and, once that was read, as SVG. */
  icon?: { name: string; at: Span; svg?: string };
  /** Whether an index helps to find parts of words in its texts. */
  search?: "indexed";
  /** How its list can be laid out; the first is what it begins with. */
  layouts?: Layout[];
  /** The rows that stand out in its list. */
  highlights?: Highlight[];
  /** Its list under names, each with the query of an address. */
  views?: ListView[];
  /** Its rows in groups, under names. */
  reports?: ModelReport[];
  /** The days that its records are of, where it has any. */
  calendar?: Days;
  sections: FormSection[];
  sort: SortKey[];
  /** Whether people put its records in order, by which lists go. */
  byHand?: true;
  /** Groups of fields that no two records have alike. */
  unique: string[][];
  /** What must be true for every record. */
  rules: RowRule[];
  /** As much of that as its table can obey by itself; it is made of the formulas. */
  checks?: RowCheck[];
  /** What each group may do with its records, where that isn't as for all entities. */
  rights?: Rights;
  /** Whether each record belongs to an organisation. */
  organised?: boolean;
  /** What it is filled with, if the model says so. */
  seed?: SeedRows;
  /** The name it had before. */
  was?: string;
  /** Where its name is in the model file. */
  at: Span;
}

/** How a list is laid out: by a field, where it takes one. */
export type Layout =
  | { kind: "table" | "cards" | "calendar" }
  | { kind: "board" | "tree" | "map"; field: string };

/** The colours that values and rows can have. */
export const colors = [
  "red",
  "orange",
  "yellow",
  "green",
  "teal",
  "blue",
  "violet",
  "pink",
  "brown",
  "grey",
] as const;
export type Color = (typeof colors)[number];

/** A condition on which a row stands out, and what that says of it. */
export interface Highlight extends Formula {
  sentence: string;
  /** The same in other languages, by the tag of each. */
  sentences?: Texts;
  color: Color;
}

/** The fields that say on which days a record is in calendars. */
export interface Days {
  from: string;
  /** The last day; the first one, where it is blank or there is none. */
  to?: string;
  /** The choice that gives records their colours. */
  color?: string;
}

/** A list under a name. */
export interface ListView {
  name: string;
  /** The name in other languages, by the tag of each. */
  names?: Texts;
  /** What stands behind the `?` of its address. */
  query: string;
}

/** A report: a view whose address was written in words. */
export interface ModelReport extends ListView {
  /** What it looks at. */
  formulas: ReportFormula[];
  /** The groups of people who find it; everybody who sees the records, without them. */
  groups?: readonly string[];
  /** Whether it is in the menu. */
  menu?: true;
  at: Span;
}

/** A formula of a report, and what it has to give: something to group by, a number, something with a smallest one, or a condition. */
export interface ReportFormula extends Formula {
  gives: "group" | "number" | "edge" | "condition";
}

/** A formula as it is written, with its `=`. */
export interface Formula {
  formula: string;
  /** Where the formula begins in the file; undefined where what was typed isn't what it means. */
  origin?: number;
  at: Span;
}

/** A condition, and what people read where a record violates it. */
export interface RowRule extends Formula {
  sentence: string;
  /** The same in other languages, by the tag of each. */
  sentences?: Texts;
}

/** Where the rows of an entity come from, besides people. */
export interface SeedRows {
  /** How many sample rows are made; undefined for as many as seem right where nothing else is given. */
  rows?: number;
  /** Rows that the application needs. */
  fixed: FixedRow[];
  /** The name of a CSV file in `data/`. */
  file?: string;
}

/** A row that is in the model: what is written for each of its fields; of several, one a line. */
export interface FixedRow {
  values: ReadonlyMap<string, { text: string; at: Span }>;
  at: Span;
}

/** A condition on a row of a table, which looks at nothing else. */
export interface RowCheck {
  name: string;
  /** The condition, as people read it. */
  holds: string;
  /** The columns that it looks at. */
  columns: string[];
  /** The same in SQL, for the databases that can express it. */
  sql: Partial<Record<DatabaseKind, string>>;
}

export type TitlePart = { words: string } | { field: string };

export interface FormSection {
  /** Undefined for the one section of a form that was not declared. */
  title?: string;
  /** The title in other languages, by the tag of each. */
  titles?: Texts;
  fields: string[];
}

export interface SortKey {
  field: string;
  descending: boolean;
}

export interface Field {
  /** Such as `brood_frames`. */
  name: string;
  label: string;
  /** The label in other languages, by the tag of each. */
  labels?: Texts;
  /** What else people read of it, in other languages. */
  translations?: Partial<Record<"hint" | "placeholder" | "unit", Texts>>;
  /** The same of its choices, by value. */
  choiceLabels?: Readonly<Record<string, Texts>>;
  /** The colours of its choices, by value. */
  colors?: Readonly<Record<string, Color>>;
  type: FieldType;
  required: boolean;
  unique: boolean;
  /** What a new record gets where nothing else is given: a constant, or what is computed of its other values. */
  default?: Default | Formula | { me: true };
  /** Where a value is needed, if it isn't everywhere. */
  requiredWhen?: Formula;
  /** Where forms ask for it, if they don't always. */
  shownWhen?: Formula;
  /** Which records a lookup offers: those for which this would hold. */
  offeredWhen?: Formula;
  hint?: string;
  /** How forms ask for it, where it isn't as usual. */
  as?: Control;
  placeholder?: string;
  /** What a number counts: `kg`. */
  unit?: string;
  /** The name it had before; `Entity.field` where it was a field of another entity. */
  was?: string;
  /** What records get that are there already and have no value. */
  fill?: Default;
  at: Span;
}

/** The column with the place of a record in a list that people put in order. */
export const handColumn = "hand_order";

/** The field with the moment at which a record was archived; no form asks for it. */
export const archiveField = "archived_at";

/** Whether what is unique in an archived record of an entity may be used again. */
export function freesUnique({ archive }: Pick<Entity, "archive">): boolean {
  return archive === "frees unique values";
}

/** The fields that every entity has by itself. */
export const automaticFields = ["id", "version", "created_at", "updated_at"] as const;

/** Whether the field refers to one record of another entity. */
export function isReference(
  field: Field,
): field is Field & { type: { kind: "one" | "part of"; entity: string } } {
  return field.type.kind === "one" || field.type.kind === "part of";
}

/** Whether the field holds many records of another entity. */
export function isMany(field: Field): field is Field & { type: { kind: "many"; entity: string } } {
  return field.type.kind === "many";
}

/** Whether the field is computed from others, and never typed in. */
export function isComputed(
  field: Field,
): field is Field & { type: { kind: "formula"; formula: string } } {
  return field.type.kind === "formula";
}

/** The names of the entities that an entity refers to; found once for each. */
export function targetsOf(entity: Entity): ReadonlySet<string> {
  const found = targets.get(entity) ?? new Set(entity.fields.flatMap(targetOf));
  targets.set(entity, found);
  return found;
}

/** The entities that refer to one; those are few, so that the fields of all needn't be gone through. */
export function entitiesReferringTo(model: Model, name: string): Entity[] {
  return model.entities.filter((entity) => targetsOf(entity).has(name));
}

const targets = new WeakMap<Entity, ReadonlySet<string>>();

function targetOf(field: Field): string[] {
  return isReference(field) || isMany(field) ? [field.type.entity] : [];
}

/** An entity by its name; the name must be one of the model's. */
export function entityNamed(model: Model, name: string): Entity {
  const entity = model.entities.find((candidate) => candidate.name === name);
  if (!entity) throw new Error(`no entity ${name}`);
  return entity;
}

/** Whether a new record can't be without a value of a field that somebody gives it. */
export function isNeeded(field: Field): boolean {
  const { required, type } = field;
  const start = field.default;
  const isGiven = (start !== undefined && !("me" in start)) || type.kind === "boolean";
  return required && !isGiven && !isMany(field) && !isComputed(field);
}

/** The lists of an entity under names: its views and its reports. */
export function namedViews({
  views = [],
  reports = [],
}: Entity): (ListView & Pick<ModelReport, "groups" | "menu">)[] {
  return [...views, ...reports];
}
