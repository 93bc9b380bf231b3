import type { Generated, RawBuilder } from "kysely";
import type {
  Color,
  ComputedField,
  Field,
  FormulaScope,
  ReferenceField,
  ReferencesField,
  TypedFormula,
  UnaskedField,
} from "../fields/field.ts";
import type { Label } from "./label.ts";
import type { Link } from "./links.ts";

export type Fields = Readonly<Record<string, Field>>;

/** A rule for every record of an entity. */
export interface RowRule {
  /** The condition, in SQL, on the row of the table. */
  holds(scope: FormulaScope): RawBuilder<unknown>;
  /** The check of the table that says the same, and may refuse the record first. */
  check?: string;
  /** The message when it is violated. Without it, the rule says that a field is needed. */
  sentence?: Label;
  /** Without a sentence: whether the rule says that a lookup doesn't offer what is in it. */
  offers?: true;
  /** The input beside which people read it; blank for above the form. */
  about: string;
}

/** Rows that stand out in lists. */
export interface Highlight {
  color: Color;
  /** What it says of a row. */
  sentence: Label;
  /** The condition, in SQL, on the row of the table. */
  holds(scope: FormulaScope): RawBuilder<unknown>;
  /** The columns that it looks at, such as `hive.price`: who doesn't see all of them sees no highlight. */
  reads?: readonly string[];
}

/** Which fields a form shows, needs or fills in, by what is typed in it. */
export interface ConditionalFields {
  /** When it asks for some of its fields. */
  shown?: Readonly<Record<string, TypedFormula>>;
  /** When some of its fields have to be filled in. */
  needed?: Readonly<Record<string, TypedFormula>>;
  /** Which records lookups offer: those for which this is true, whose number it takes as the value of the lookup. */
  offered?: Readonly<Record<string, TypedFormula>>;
  /** What fields of a new form start with, which looks at nothing that is typed. */
  starts?: Readonly<Record<string, TypedFormula>>;
  /** What fields get that are left blank in a new record, each behind those that it looks at. */
  blank?: Readonly<Record<string, TypedFormula>>;
}

/** An entity as it is declared. */
interface Declaration<Declared extends Fields> {
  /** The name of its table, by which other entities refer to it, too. */
  table: string;
  /** The address of its list: `/hives`. */
  path: string;
  /** What formulas call the records that refer to another one: `hives`. As the address does, without it. */
  many?: string;
  /** What one record is called: `Hive`. */
  label: Label;
  /** What several are called: `Hives`. */
  plural: Label;
  /** What a record is called, with fields in braces: `{code}`. Without it, label and number. */
  title?: string;
  /** Whether each record belongs to an organisation, and is there for its people only. */
  organised?: boolean;
  /** Whether its records can be archived; when they were is in its column `archived_at`. */
  archive?: boolean;
  /** Whether what is unique in an archived record may be used again. */
  freesUnique?: boolean;
  /** The picture beside its name in the menu, which the styles of the application have. */
  icon?: string;
  /** Whether people put its records in order; their places are in its column `hand_order`. */
  byHand?: boolean;
  /** Those that forms ask for first, in their order. */
  fields: Declared;
  /** The order of lists, such as `["-installed", "code"]`; by number without it. */
  order?: readonly string[];
  /** Columns that lists sort by besides the fields: `id`, `created_at`, … */
  sorted?: readonly string[];
  /** Columns that the table has an index for, by which very long lists are counted. */
  indexed?: readonly string[];
  /** Columns whose words the table has an index for, by which searches find few records among many. */
  words?: readonly string[];
  /** The fields that say on which days a record is: the first day, the last, and the choice that gives its colour. */
  calendar?: { from: string; to?: string; color?: string };
  rowRules?: readonly RowRule[];
  /** The rows that stand out in lists, by the first condition that holds. */
  highlights?: readonly Highlight[];
  conditionalFields?: ConditionalFields;
}

/** What the kit knows of an entity: its names, its table and its fields. */
export interface Entity<Declared extends Fields = Fields> extends Declaration<Declared> {
  order: readonly string[];
  sorted: readonly string[];
  indexed: readonly string[];
  words: readonly string[];
  rowRules: readonly RowRule[];
  highlights: readonly Highlight[];
  conditionalFields: ConditionalFields;
  /** The fields that forms ask for. */
  inputs: Fields;
  /** The words of the title, and the names of the fields in it. */
  titleParts: readonly ({ words: string } | { field: string })[];
}

/** Declares an entity. */
export function entity<Declared extends Fields>(
  declaration: Declaration<Declared>,
): Entity<Declared> {
  const { title = "", fields } = declaration;
  return {
    order: [],
    sorted: [],
    indexed: [],
    words: [],
    rowRules: [],
    highlights: [],
    conditionalFields: {},
    ...declaration,
    inputs: Object.fromEntries(
      Object.entries(fields).filter(([, field]) => !isComputed(field) && !isUnasked(field)),
    ),
    titleParts: [...title.matchAll(/\{([^{}]*)\}|[^{}]+/g)].map(([words, field]) =>
      field === undefined ? { words } : { field },
    ),
  };
}

/** The columns that every table of an entity has. */
export const automaticColumns = ["id", "version", "created_at", "updated_at"] as const;

/** The column with the places of records that people put in order. */
export const handColumn = "hand_order";

export function isComputed(field: Field): field is ComputedField {
  return "formula" in field;
}

export function isUnasked(field: Field): field is Field & UnaskedField {
  return "unasked" in field;
}

export function isReference(field: Field): field is ReferenceField {
  return field.kind === "reference";
}

export function isReferences(field: Field): field is ReferencesField {
  return field.kind === "references";
}

type ValueOf<Declared> = Declared extends Field<infer Value> ? Value : never;

/** The name of a reference without the `_id` of its column. */
type WithoutId<Name> = Name extends `${infer Short}_id` ? Short : never;

/** The columns of an entity's table, for the query builder. */
export type TableOf<Known> =
  Known extends Entity<infer Declared>
    ? {
        id: Generated<number>;
        version: Generated<number>;
        created_at: string;
        updated_at: string;
      } & {
        -readonly [Name in keyof Declared as Declared[Name] extends ComputedField | ReferencesField
          ? never
          : Name]: ValueOf<Declared[Name]>;
      }
    : never;

/** The values that forms ask for, as they are saved. */
export type InputOf<Known> =
  Known extends Entity<infer Declared>
    ? {
        -readonly [Name in keyof Declared as Declared[Name] extends ComputedField | UnaskedField
          ? never
          : Name]: ValueOf<Declared[Name]>;
      }
    : never;

/** A record as lists and pages have it: its columns, what is computed, and links to what it refers to. */
export type RowOf<Known> =
  Known extends Entity<infer Declared>
    ? Link & { version: number; created_at: string; updated_at: string } & {
        [Name in keyof Declared as Declared[Name] extends ReferencesField ? never : Name]: ValueOf<
          Declared[Name]
        >;
      } & {
        [Name in keyof Declared as Declared[Name] extends ReferencesField ? Name : never]: Link[];
      } & {
        [Name in keyof Declared as Declared[Name] extends ReferenceField
          ? WithoutId<Name>
          : never]: Link | null;
      }
    : never;

/** A record, whatever its entity. */
export type Row = Link & { version: number } & Readonly<Record<string, unknown>>;
