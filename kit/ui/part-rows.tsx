import type { Label } from "../entity/label.ts";
import { address } from "../entity/links.ts";
import { controls } from "../fields/controls.tsx";
import { RequiredMark, Unit } from "./field-frame.tsx";
import { type Form, fieldOf, labelOf, type PartsInForm } from "./form.ts";

/** Parts of a record, in rows of its form: changed, removed and added there, and saved with it. */
export function FormRows({ form, part, title }: { form: Form; part: string; title?: string }) {
  const parts = form.parts?.[part];
  if (!parts || (parts.rows.length === 0 && !parts.blank)) return null;
  const { scope } = form;
  const { rows: words, newRecord } = scope.messages;
  const { entity, rows, blank, others } = parts;
  const { one, many, heading, headings } = scope.namesOf(entity);
  const called = title ?? (parts.isSingle ? heading : headings);
  const id = `rows-${part}`;
  return (
    <section class="sheet part-rows" data-rows={part} aria-labelledby={id}>
      <h2 id={id}>{called}</h2>
      {others && (
        <p class="soft small">
          {words.more(scope.format.number(others.count))} <a href={others.href}>{many}</a>
        </p>
      )}
      <table class="table" hidden={rows.length === 0}>
        <RowHeadings form={form} parts={parts} />
        <tbody>
          {rows.map((row) => (
            <PartRow row={row} parts={parts} />
          ))}
        </tbody>
      </table>
      {blank && (
        <>
          <template data-blank>
            <PartRow row={blank} parts={parts} />
          </template>
          <button
            class="btn btn-outline-primary btn-sm"
            type="submit"
            name="_row"
            value={part}
            formnovalidate
          >
            {newRecord(one)}
          </button>
        </>
      )}
    </section>
  );
}

function RowHeadings({ form, parts }: { form: Form; parts: PartsInForm }) {
  const { entity, columns } = parts;
  const filled = parts.blank?.filled ?? [];
  const of = { ...form, entity, kept: [], filled, state: { shown: {}, needed: {} } };
  return (
    <thead>
      <tr>
        {columns.map((name) => (
          <th scope="col">
            {labelOf(of, name)}
            <Unit units={parts.units} name={name} />
            <RequiredMark form={of} name={name} />
            <ColumnHint form={form} hint={parts.remarks[name]?.hint} />
          </th>
        ))}
        <th scope="col">
          <span class="visually-hidden">{form.scope.messages.rows.ofRow}</span>
        </th>
      </tr>
    </thead>
  );
}

/** A hint below the heading of its column. Each input has it as well, for those who hear a page. */
function ColumnHint({ form, hint }: { form: Form; hint: Label | undefined }) {
  if (!hint) return null;
  return (
    <div class="form-text" aria-hidden="true">
      {form.scope.translated(hint)}
    </div>
  );
}

function PartRow({ row: form, parts }: { row: Form; parts: PartsInForm }) {
  const { scope, record, row, errors, version } = form;
  if (!row) return null;
  const { prefix, isRemoved, mayRemove, parent } = row;
  const { rows: words, lookup } = scope.messages;
  const whole = errors.get("");
  const began = JSON.stringify(Object.fromEntries(form.began ?? []));
  return (
    <tr
      id={`row-${prefix}`}
      tabindex={-1}
      data-row={prefix}
      data-removed={isRemoved ? "" : undefined}
    >
      {parts.columns.map((name, at) => {
        const Control = controls[fieldOf(form, name).kind];
        const { hint, placeholder } = parts.remarks[name] ?? {};
        return (
          <td>
            {at === 0 && (
              <>
                <input type="hidden" name={`${prefix}_version`} value={version} />
                <input type="hidden" name={`${prefix}_was`} value={began} />
                {parent && (
                  <input type="hidden" name={`${prefix}${parent.field}`} value={parent.id} />
                )}
              </>
            )}
            <Control
              form={form}
              name={name}
              hint={hint && scope.translated(hint)}
              placeholder={placeholder && scope.translated(placeholder)}
            />
          </td>
        );
      })}
      <td class="row-end">
        {mayRemove && (
          <div class="form-check">
            <input
              class="form-check-input"
              type="checkbox"
              id={`remove-${prefix}`}
              name={`${prefix}_remove`}
              value="yes"
              checked={isRemoved}
              data-remove
            />
            <label class="form-check-label" for={`remove-${prefix}`}>
              {words.remove}
              <span class="visually-hidden">: {form.title}</span>
            </label>
          </div>
        )}
        {record && (
          <a href={address(record)} target="_blank" rel="noopener">
            {lookup.open}
            <span class="visually-hidden">: {form.title}</span>
          </a>
        )}
        {whole && <div class="invalid-feedback d-block">{whole}</div>}
      </td>
    </tr>
  );
}
