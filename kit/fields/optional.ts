import {
  type ComputedField,
  type Field,
  type Formula,
  isBlank,
  type ReferenceField,
  type TypedFormula,
  type UnaskedField,
} from "./field.ts";

/** A field that may be blank: null. */
export function optional<Value>(field: ReferenceField<Value>): ReferenceField<Value | null>;
export function optional<Value>(field: Field<Value>): Field<Value | null>;
export function optional<Value>(field: Field<Value>): Field<Value | null> {
  return {
    ...field,
    required: false,
    attributes: (scope) => ({ ...field.attributes(scope), required: false }),
    read: (typed, scope) => (isBlank(typed[0]) ? { value: null } : field.read(typed, scope)),
    write: (value, scope) => (value === null ? "" : field.write(value, scope)),
  };
}

/** A field that is computed and never typed: its formula in SQL, and as it is written in the model. */
export function computed<Value>(
  field: Field,
  formula: Formula<Value>,
  written: string,
): ComputedField<Value> {
  return { ...(field as Field<Value>), required: false, formula, written };
}

/** A field that no form asks for. A new record has what it starts with, or what `made` computes. */
export function unasked<Kind extends Field>(field: Kind, made?: TypedFormula): Kind & UnaskedField {
  return { ...field, unasked: true, ...(made && { made }) };
}
