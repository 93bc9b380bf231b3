import type { Child } from "hono/jsx";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { rightValues, typedValues } from "../../entity/typed.ts";
import { controls } from "../../fields/controls.tsx";
import { isFiles } from "../../fields/files.tsx";
import type { SentForm } from "../../http/sent-form.ts";
import { changedDraft } from "../../store/drafts.ts";
import { lookupsOf } from "../../store/options.ts";
import { save } from "../../store/save.ts";
import { newToken } from "../../store/submissions.ts";
import { type Form, fieldOf } from "../../ui/form.ts";
import { seenErrors, toldErrors } from "../../ui/seen-errors.ts";
import { labelOfColumn } from "../../ui/value.tsx";

/** The fields that somebody may fill in, of some record at least. */
export function changeableFields(scope: Scope, entity: Entity): string[] {
  const withheld = scope.withheld("change", entity);
  return Object.keys(entity.inputs).filter(
    (name) =>
      !scope.isHidden(entity, name) &&
      !isFilesAt(entity, name) &&
      !(withheld.has(name) && withheld.get(name) === undefined),
  );
}

/** Files aren't given to many records at once. */
function isFilesAt({ inputs }: Entity, name: string): boolean {
  const field = inputs[name];
  return field !== undefined && isFiles(field);
}

/** Asks which field to change. */
export function FieldChoice({
  scope,
  entity,
  fields,
}: {
  scope: Scope;
  entity: Entity;
  fields: readonly string[];
}): Child {
  return (
    <div class="mb-3">
      <label class="form-label" for="many-field">
        {scope.messages.manyField}
      </label>
      <select class="form-select" id="many-field" name="_field">
        {fields.map((name) => (
          <option value={name}>{labelOfColumn(scope, entity, name)}</option>
        ))}
      </select>
    </div>
  );
}

/** A form of one field, which begins with what was typed. */
export async function fieldForm(
  scope: Scope,
  entity: Entity,
  name: string,
  typed?: SentForm,
): Promise<Form> {
  const field = entity.inputs[name];
  const asked = { ...entity, inputs: field ? { [name]: field } : {} };
  const values = typed ? typedValues(asked, typed) : new Map<string, string[]>();
  return {
    scope,
    entity,
    title: "",
    values,
    errors: new Map(),
    ...(await lookupsOf(scope, asked, values, rightValues(asked, values, scope))),
    offersAt: `${encodeURI(entity.path)}/offers`,
    token: newToken(),
    state: { shown: {}, needed: {} },
    filled: [],
    record: undefined,
    fixed: new Set(),
    kept: [],
    version: 0,
    isNew: true,
  };
}

/** What the field is to be for all of them. */
export function ValueInput({ form, name }: { form: Form; name: string }): Child {
  const Control = controls[fieldOf(form, name).kind];
  return <Control form={form} name={name} />;
}

/** Changes one field of one of many records, as its form would; or says why not. */
export async function changeOne(
  scope: Scope,
  entity: Entity,
  row: Row,
  { field, data }: { field: string; data: SentForm },
): Promise<string | undefined> {
  const { messages } = scope;
  const changes = new Map([[field, data.getAll(field).map(String)]]);
  const { typed, unasked } = await changedDraft(scope, entity, row, changes);
  if (unasked.length > 0) return messages.notAsked;
  const saved = { row, version: row.version };
  const result = await save(scope, entity, { typed, saved });
  if ("row" in result) return undefined;
  if ("stale" in result) return messages.changedMeanwhile;
  // The field that is changed stands above all of them.
  const { [field]: own, ...others } = Object.fromEntries(seenErrors(scope, entity, result.errors));
  const told = toldErrors(scope, entity, new Map(Object.entries(others)));
  return [...(own === undefined ? [] : [own]), ...told].join(" ");
}
