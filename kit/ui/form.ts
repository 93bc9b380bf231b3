import type { Scope } from "../access/scope.ts";
import type { Entity, Row } from "../entity/entity.ts";
import { labelIn } from "../entity/label.ts";
import type { PartRows } from "../entity/part-rows.ts";
import type { FormState, Options, Typed } from "../entity/typed.ts";
import type { Attributes, Field } from "../fields/field.ts";
import type { StoredFile } from "../files/stored-file.ts";

/** What is in a form at one moment: what was typed, what is wrong with it, what lookups offer. */
export interface Form {
  scope: Scope;
  entity: Entity;
  title: string;
  values: Typed;
  errors: ReadonlyMap<string, string>;
  options: Options;
  /** Lookups that have too many records to list: there, one is found by typing. */
  many: ReadonlySet<string>;
  /** Where a browser asks what such a lookup offers. */
  offersAt?: string;
  /** Titles that were typed into such lookups and belong to no record. */
  named?: ReadonlyMap<string, string>;
  /** Whether the record is added for a lookup of another form, in a tab of its own. */
  isForLookup?: boolean;
  /** Tells the form from others, so that it is saved once however often it is sent. */
  token: string;
  state: FormState;
  /** Fields that are filled in where they are left blank. */
  filled: readonly string[];
  /** The record as it is saved, unless the form is for a new one. */
  record: Row | undefined;
  /** The record of which a new one begins as a copy. */
  copyOf?: Row;
  /** Fields that the person may not fill in. */
  fixed: ReadonlySet<string>;
  /** References to records that the person may not see: left blank, they stay as they are saved. */
  kept: readonly string[];
  /** The files in it, those that were sent just now included, by their keys. */
  files?: ReadonlyMap<string, StoredFile>;
  hasFiles?: boolean;
  /** Where a browser asks what else to show while something is typed. */
  stateAt?: string;
  /** The version that the person saw; a save that finds another one is refused. */
  version: number;
  isNew: boolean;
  /** Where to go after the save. */
  back?: string | undefined;
  /** What the record held when the form began, as texts: by it, later changes of others are told. */
  began?: Typed;
  /** The rows of parts in it, by the names that the form has for them. */
  parts?: Readonly<Record<string, PartsInForm>>;
  /** Where the form is a row of another one. */
  row?: RowOfForm;
  /** What somebody else saved in the meantime. */
  conflict?: Conflict;
  /** Somebody else deleted the record in the meantime. */
  wasDeleted?: boolean;
  /** The names of others who have the form of the record open. */
  others?: readonly string[];
  /** Something to know before filling it in. */
  note?: string | undefined;
  /** Where the form is sent; to its own address otherwise. */
  action?: string;
}

/** A row in a form: a record with a small form of its own. */
export interface RowOfForm {
  /** What the names of its inputs begin with: `inspections.12.`, or `inspections.new1.` for a new record. */
  prefix: string;
  /** Whether it is to be removed when the form is saved. */
  isRemoved: boolean;
  mayRemove: boolean;
  /** What its numbers count, by field: it stands with the labels. */
  units: Units;
  /** The record that it belongs to, if that is saved already. */
  parent: { field: string; id: number } | undefined;
}

/** What is counted in fields, in the language of the person. */
export type Units = Readonly<Record<string, string>>;

/** The parts of one kind in a form. */
export interface PartsInForm {
  entity: Entity;
  /** Whether there is one at most. */
  isSingle: boolean;
  columns: readonly string[];
  remarks: PartRows["remarks"];
  units: Units;
  rows: readonly Form[];
  /** What a new row begins with; undefined where the person may not add one. */
  blank: Form | undefined;
  /** How many there are that the form doesn't show, and where they are. */
  others: { count: number; href: string } | undefined;
}

/** Changes of somebody else: what is saved now, what both changed, and what was taken over. */
export interface Conflict {
  saved: Typed;
  fields: readonly string[];
  joined: readonly string[];
}

/** The input that says whose value is taken of a field that two people changed. */
export function chosenInput(name: string): string {
  return `_take.${name}`;
}

/** The rows of a form in which something is wrong. */
export function rowsWithErrors({ parts = {} }: Form): Form[] {
  return Object.values(parts)
    .flatMap(({ rows }) => rows)
    .filter(({ errors }) => errors.size > 0);
}

/** What the form page of an entity gets. */
export interface FormProps {
  form: Form;
}

/** The field of a name; the name must be one of the entity's. */
export function fieldOf(form: Pick<Form, "entity">, name: string): Field {
  const field = form.entity.fields[name];
  if (!field) throw new Error(`${form.entity.table} has no field ${name}.`);
  return field;
}

/** The label of a field in the language of the person. */
export function labelOf(form: Pick<Form, "entity" | "scope">, name: string): string {
  return labelIn(fieldOf(form, name).label, form.scope.language);
}

/** What the input of a field is called in what a form sends, and in the ids of what belongs to it. */
export function inputName({ row }: Pick<Form, "row">, name: string): string {
  return `${row?.prefix ?? ""}${name}`;
}

/** The attributes of a field's input, as things are in the form. A new row may be left blank. */
export function attributesOf(form: Form, name: string): Attributes & { required: boolean } {
  const attributes = fieldOf(form, name).attributes(form.scope);
  const needed = Object.hasOwn(form.state.needed, name)
    ? form.state.needed[name]
    : !form.filled.includes(name) && attributes.required;
  const mayBeBlank = form.kept.includes(name) || (form.row !== undefined && form.isNew);
  return { ...attributes, required: Boolean(needed) && !mayBeBlank };
}

/** Whether the form doesn't ask for a field as things are; one with an error is always shown. */
export function isHidden(form: Form, name: string): boolean {
  const { shown } = form.state;
  return Object.hasOwn(shown, name) && !shown[name] && !form.errors.has(name);
}

/** The text in a field; of several, the first. */
export function typedValue(form: Form, name: string): string {
  return form.values.get(name)?.[0] ?? "";
}

/** What is typed into a field, in words a person knows. */
export function shownTyped(form: Form, name: string, values: readonly string[] = []): string {
  const { choices, kind } = fieldOf(form, name);
  if (kind === "image" || kind === "file") {
    const keys = values.flatMap((text) => text.split(" "));
    return keys.flatMap((key) => form.files?.get(key)?.name ?? []).join(", ");
  }
  const offered = Object.hasOwn(form.options, name) ? form.options[name] : undefined;
  const words = values.map((value) => {
    const label = choices && Object.hasOwn(choices, value) ? choices[value] : undefined;
    if (label !== undefined) return labelIn(label, form.scope.language);
    return offered?.find((link) => String(link.id) === value)?.displayTitle ?? value.trim();
  });
  return words.sort().join(", ");
}
