import type { Scope } from "../../access/scope.ts";
import { type Entity, isReferences } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { filterable, filterParameter } from "../../store/list/filters.ts";
import { type Json, textParameter } from "./operation.ts";
import { sortNames } from "./shapes.ts";

/** The parameter by which a list is sorted. */
export function sortParameter(scope: Scope, entity: Entity): Json {
  return {
    ...textParameter("sort"),
    description: `${scope.messages.api.parameters.sort} ${sortNames(scope, entity).join(", ")}`,
  };
}

/** The filters of a list, as its address has them. */
export function filterParameters(scope: Scope, entity: Entity): Json[] {
  const yes = { enum: ["yes"] };
  return filterable(scope, entity).flatMap(([name, field]) => {
    const parameter = filterParameter(name);
    const title = scope.translated(field.label);
    const ends = (schema: Json) =>
      ["from", "to"].map((end) => ({ name: `${parameter}.${end}`, in: "query", schema }));
    const blank = { name: `${parameter}.blank`, in: "query", schema: yes };
    const isBlankable = !field.required || isReferences(field);
    const values = valuesOf(field);
    const { filter } = typeOf(field);
    return [
      ...(values
        ? [
            {
              name: parameter,
              in: "query",
              description: title,
              schema: { type: "array", items: values, maxItems: 100 },
            },
          ]
        : []),
      ...(filter === "numbers" ? ends({ type: "number" }) : []),
      ...(filter === "days" || filter === "moments"
        ? ends({ type: "string", format: "date" })
        : []),
      ...(isBlankable ? [blank] : []),
    ].map((each) => ({ description: title, ...each }));
  });
}

function valuesOf(field: Field): Json | undefined {
  const { filter } = typeOf(field);
  if (filter === "tags") return { type: "string" };
  if (filter !== "choices") return undefined;
  if (field.choices) return { enum: Object.keys(field.choices) };
  if (field.kind === "boolean") return { enum: ["yes", "no"] };
  return { type: "integer", minimum: 1 };
}
