import type { z } from "zod";
import type { FormState } from "./conditional-fields.ts";
import type { Link } from "./links.ts";
import { type Entry, entries } from "./values.ts";

/** The Zod object that a form is checked with. */
export type InputType = z.ZodObject<Record<string, z.ZodType>>;

/** What lookups offer, by the name of their field. */
export type Options = Readonly<Record<string, readonly Link[]>>;

/** The numbers of the records that are chosen in a field. */
export type Chosen = (name: string) => number[];

/** What is chosen in the lookups of a form, from what was typed. */
export function chosenIn(values: ReadonlyMap<string, readonly string[]>): Chosen {
  return (name) => (values.get(name) ?? []).filter((id) => /^\d{1,15}$/.test(id)).map(Number);
}

/** A value that somebody else saved in the meantime, beside the one typed here. */
export interface Difference {
  name: string;
  saved: string;
  typed: string;
}

/** What is in a form at one moment: what was typed, what is wrong with it, what lookups offer. */
export interface Form {
  values: ReadonlyMap<string, readonly string[]>;
  errors: ReadonlyMap<string, string>;
  labels: Readonly<Record<string, string>>;
  options: Options;
  input: InputType;
  /** Tells the form from others, so that it is saved once however often it is sent. */
  token: string;
  /** What depends on what is typed. */
  state: FormState;
  /** Fields that are filled in where they are left blank. */
  filled: readonly string[];
  /** Where a browser asks what else to show while something is typed. */
  stateAt?: string;
}

/** The attributes of a field's input, as things are in the form. */
export function attributesOf(form: Form, name: string) {
  const attributes = entryOf(form, name).attributes();
  const needed = Object.hasOwn(form.state.needed, name)
    ? form.state.needed[name]
    : !form.filled.includes(name) && attributes.required;
  return { ...attributes, required: Boolean(needed) };
}

/** Whether the form doesn't ask for a field as things are; one with an error is always shown. */
export function isHidden(form: Form, name: string): boolean {
  const { shown } = form.state;
  return Object.hasOwn(shown, name) && !shown[name] && !form.errors.has(name);
}

/** What the browser has to know of a field. */
export function entryOf(form: Form, name: string): Entry {
  const type = form.input.shape[name];
  return (type && entries.get(type)) ?? { attributes: () => ({}) };
}

/** The text in a field; of several, the first. */
export function typedValue(form: Form, name: string): string {
  return form.values.get(name)?.[0] ?? "";
}

/** What a request carries for the fields of a form; nothing else in it is looked at. */
export function typedValues(input: InputType, data: FormData | URLSearchParams) {
  const values = new Map<string, string[]>();
  for (const name of Object.keys(input.shape)) {
    const found = data.getAll(name).filter((value): value is string => typeof value === "string");
    if (found.length > 0) values.set(name, found);
  }
  return values;
}

/** The values of those fields in which something right was typed. */
export function rightValues<Input extends InputType>(
  input: Input,
  values: ReadonlyMap<string, readonly string[]>,
): Partial<z.infer<Input>> {
  const right = Object.entries(input.shape).flatMap(([name, type]) => {
    const result = type.safeParse(typedOf(type, values.get(name)));
    return result.success ? [[name, result.data]] : [];
  });
  return Object.fromEntries(right);
}

/** What was typed in a field, as its check takes it. */
function typedOf(type: z.ZodType, found: readonly string[] | undefined): unknown {
  return entries.get(type)?.attributes().multiple ? (found ?? []) : found?.[0];
}

/** Whether nothing was typed into a field. */
export function isBlank(typed: readonly string[] = []): boolean {
  return typed.every((each) => each.trim() === "");
}

/** Whether two fields hold the same texts; blank ones count as none. */
export function isSameTyped(one: readonly string[] = [], other: readonly string[] = []): boolean {
  const texts = (typed: readonly string[]) => typed.map((each) => each.trim()).filter(Boolean);
  return JSON.stringify(texts(one).sort()) === JSON.stringify(texts(other).sort());
}

/**
 * Checked values, in which those that nobody changed are as they were saved: an input may show less of a value
 * than there is of it, such as the seconds of a moment, or which of two hours of the same name it was.
 */
export function withUnchanged<Input extends InputType>(
  input: Input,
  checked: z.infer<Input>,
  values: ReadonlyMap<string, readonly string[]>,
  saved: object,
): z.infer<Input> {
  const written = writtenValues(input, saved);
  const unchanged = Object.keys(input.shape).filter((name) => {
    const texts = written.get(name);
    return (
      texts?.length === 1 && texts[0] === values.get(name)?.[0] && !Array.isArray(checked[name])
    );
  });
  const before = Object.fromEntries(unchanged.map((name) => [name, saved[name as never]]));
  return { ...checked, ...before };
}

/** Checks what was typed: the values to save, or one error a field. */
export async function checkTyped<Input extends InputType>(
  input: Input,
  values: ReadonlyMap<string, readonly string[]>,
): Promise<{ value: z.infer<Input> } | { errors: Map<string, string> }> {
  const typed: Record<string, unknown> = Object.create(null);
  for (const [name, type] of Object.entries(input.shape)) {
    typed[name] = typedOf(type, values.get(name));
  }
  const result = await input.safeParseAsync({ ...typed });
  if (result.success) return { value: result.data };
  const errors = new Map<string, string>();
  for (const issue of result.error.issues) {
    const name = String(issue.path[0]);
    if (!errors.has(name)) errors.set(name, issue.message);
  }
  return { errors };
}

/** A saved record, or the defaults of a new one, as the texts that the inputs start with. */
export function writtenValues(input: InputType, record: object): Map<string, string[]> {
  const values = new Map<string, string[]>();
  for (const [name, type] of Object.entries(input.shape)) {
    const stored: unknown = Object.hasOwn(record, name) ? record[name as never] : undefined;
    if (stored === null || stored === undefined) continue;
    const write = entries.get(type)?.write ?? String;
    values.set(name, Array.isArray(stored) ? stored.map(idOf) : [write(stored)]);
  }
  return values;
}

function idOf(item: unknown): string {
  return String(typeof item === "object" && item !== null && "id" in item ? item.id : item);
}

/** The fields in which what was typed differs from what is saved now, in words a person knows. */
export function differences(
  form: Form,
  saved: ReadonlyMap<string, readonly string[]>,
): Difference[] {
  return Object.keys(form.input.shape).flatMap((name) => {
    const typed = shown(form, name, form.values.get(name));
    const other = shown(form, name, saved.get(name));
    return typed === other ? [] : [{ name, saved: other, typed }];
  });
}

function shown(form: Form, name: string, values: readonly string[] = []): string {
  const { choices } = entryOf(form, name);
  const offered = Object.hasOwn(form.options, name) ? form.options[name] : undefined;
  const words = values.map((value) => {
    if (choices && Object.hasOwn(choices, value)) return choices[value] ?? value;
    return offered?.find((link) => String(link.id) === value)?.displayTitle ?? value.trim();
  });
  return words.sort().join(", ");
}
