import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import type { Link } from "../../entity/links.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { pathLabel, pathOf } from "../../store/formula-paths.ts";
import { alongParameter } from "../../store/list/along.ts";
import { filterParameter } from "../../store/list/filters.ts";
import { isPlace } from "../../store/list/request.ts";
import { linksOf } from "../../store/options.ts";

/** What a report asks for: one of some values, or a range. */
interface Question {
  label: string;
  parameter: string;
  values: readonly [string, string][] | "days" | "numbers";
}

/** What a report asks for when it is opened, ready to be shown; what can't be asked for is left out. */
async function questionsOf(
  scope: Scope,
  entity: Entity,
  asked: readonly string[],
  query: URLSearchParams,
): Promise<Question[]> {
  const questions: Question[] = [];
  for (const text of asked) {
    const path = pathOf(scope, entity, text);
    const last = path?.fields.at(-1);
    if (!path || !last) continue;
    const isOwn = path.fields.length === 1;
    const parameter = isOwn ? filterParameter(last.name) : alongParameter(text);
    const values = await valuesOf(scope, last.field, query.get(parameter));
    if (values === undefined || (!isOwn && typeof values === "string")) continue;
    questions.push({ label: pathLabel(scope, path), parameter, values });
  }
  return questions;
}

async function valuesOf(
  scope: Scope,
  field: Field,
  chosen: string | null,
): Promise<Question["values"] | undefined> {
  if (isReference(field)) {
    const ids = chosen && /^\d{1,15}$/.test(chosen) ? [Number(chosen)] : [];
    const links = await linksOf(scope, scope.entities.named(field.to), ids);
    return links.map(({ id, displayTitle }: Link) => [String(id), displayTitle]);
  }
  if (field.choices)
    return Object.entries(field.choices).map(([value, label]) => [value, scope.translated(label)]);
  const { filter } = typeOf(field);
  if (filter === "days" || filter === "moments") return "days";
  return filter === "numbers" ? "numbers" : undefined;
}

/** The form in which a report asks for what it is of. */
export async function AskedForm({
  scope,
  entity,
  asked,
  query,
}: {
  scope: Scope;
  entity: Entity;
  asked: readonly string[];
  query: URLSearchParams;
}) {
  const questions = await questionsOf(scope, entity, asked, query);
  if (questions.length === 0) return null;
  const own = new Set(
    questions.flatMap(({ parameter }) => [parameter, `${parameter}.from`, `${parameter}.to`]),
  );
  const kept = [...query].filter(([name]) => !own.has(name) && !isPlace(name));
  const { messages } = scope;
  return (
    <form class="report-asked" method="get" action={encodeURI(entity.path)}>
      {kept.map(([name, value]) => (
        <input type="hidden" name={name} value={value} />
      ))}
      {questions.map(({ label, parameter, values }) =>
        typeof values === "string" ? (
          (["from", "to"] as const).map((end) => (
            <label>
              <span>
                {end === "from" ? messages.report.from(label) : messages.report.to(label)}
              </span>
              <input
                class="form-control form-control-sm"
                type={values === "days" ? "date" : "number"}
                step={values === "days" ? undefined : "any"}
                name={`${parameter}.${end}`}
                value={query.get(`${parameter}.${end}`) ?? ""}
              />
            </label>
          ))
        ) : (
          <label>
            <span>{label}</span>
            <select class="form-select form-select-sm" name={parameter}>
              <option value="">{messages.report.all}</option>
              {values.map(([value, text]) => (
                <option value={value} selected={value === query.get(parameter)}>
                  {text}
                </option>
              ))}
            </select>
          </label>
        ),
      )}
      <button class="btn btn-outline-secondary btn-sm" type="submit">
        {messages.report.apply}
      </button>
    </form>
  );
}
