import type * as z from "zod";
import type { Action } from "../../access/action.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { reportParameters } from "../../formula/report.ts";
import type { ProblemKind } from "../../http/problem.ts";
import { filesFields } from "../form/sent-record.ts";
import { apiAddress, linesAddress } from "./address.ts";
import { historyShape, reportShape } from "./answer-shapes.ts";
import { fileShape } from "./json-values.ts";
import { filterParameters, sortParameter } from "./list-parameters.ts";
import {
  asJson,
  type Json,
  type Operation,
  pathParameter,
  refTo,
  textParameter,
} from "./operation.ts";
import { mediaTypes } from "./sent-json.ts";
import { shapesOf } from "./shapes.ts";

/** Puts a shape into the description under a name; gives what refers to it. */
export type Name = (shape: z.ZodType, id: string) => Json;

/** An operation, and whether the person may do it: only then are its shapes in the description. */
type Offered = [boolean, () => Operation];

/** What the change of a record may meet besides what is wrong with its body. */
const conflicts: readonly ProblemKind[] = ["not-found", "changed", "version-needed", "conflict"];
const wrongs: readonly ProblemKind[] = ["unreadable", "media-type", "invalid", "key-reused"];

const shared = (...names: readonly string[]) => names.map((name) => refTo("parameters", name));

/** What the person may ask for of an entity, whose shapes go by a name. */
export function entityOperations(
  scope: Scope,
  entity: Entity,
  name: string,
  named: Name,
): Operation[] {
  const shapes = shapesOf(scope, entity);
  const { operations: words } = scope.messages.api;
  const { headings: tag, many } = scope.namesOf(entity);
  const may = (action: Action) => scope.may(action, entity);
  const list = encodeURI(apiAddress(entity));
  const record = `${list}/{id}`;
  const part = named(shapes.part, `${name}Part`);
  const told = may("see") ? { anyOf: [named(shapes.whole, name), part] } : part;
  const rowsFound = [
    ...shared("search", "only", ...(entity.archive ? ["archived"] : [])),
    ...filterParameters(scope, entity),
  ];
  const offered: Offered[] = [
    [
      may("see"),
      () => ({
        address: list,
        method: "get",
        id: `list${name}`,
        summary: words.list(many),
        parameters: [
          ...shared("size", "after", "count", "fields", "along"),
          sortParameter(scope, entity),
          ...rowsFound,
        ],
        answer: asJson(listOf(told)),
        problems: ["query"],
      }),
    ],
    [
      may("add"),
      () => ({
        address: list,
        method: "post",
        id: `add${name}`,
        summary: words.add,
        parameters: shared("idempotencyKey"),
        body: asJson(named(shapes.added, `${name}New`)),
        status: 201,
        answer: asJson(told),
        problems: wrongs,
      }),
    ],
    [
      may("see"),
      () => ({
        address: record,
        method: "get",
        id: `get${name}`,
        summary: words.one,
        parameters: shared("id", "fields", "along"),
        answer: asJson(told),
        problems: ["query", "not-found"],
      }),
    ],
    [
      may("change"),
      () => ({
        address: record,
        method: "patch",
        id: `change${name}`,
        summary: words.change,
        parameters: shared("id", "ifMatch", "idempotencyKey"),
        body: { [mediaTypes.patch]: named(shapes.changed, `${name}Change`) },
        answer: asJson(told),
        problems: [...conflicts, ...wrongs],
      }),
    ],
    [
      may("delete"),
      () => ({
        address: record,
        method: "delete",
        id: `delete${name}`,
        summary: words.delete,
        parameters: shared("id", "ifMatch", "idempotencyKey", "parts"),
        status: 204,
        problems: ["query", "key-reused", ...conflicts],
      }),
    ],
    [
      may("see"),
      () => ({
        address: `${list}/report`,
        method: "get",
        id: `report${name}`,
        summary: words.report(many),
        parameters: [...reportParameters.map((each) => textParameter(each, true)), ...rowsFound],
        answer: asJson(named(reportShape, "Report")),
        problems: ["query"],
      }),
    ],
    [
      may("export"),
      () => ({
        address: encodeURI(linesAddress(entity)),
        method: "get",
        id: `lines${name}`,
        summary: words.lines(many),
        parameters: [...shared("after", "fields", "along"), ...rowsFound],
        answer: { [mediaTypes.lines]: part },
        problems: ["query"],
      }),
    ],
    [
      may("history"),
      () => ({
        address: `${record}/history`,
        method: "get",
        id: `history${name}`,
        summary: words.history,
        parameters: [...shared("id"), pageParameter],
        answer: asJson(named(historyShape, "History")),
        problems: ["not-found"],
      }),
    ],
    ...archiveOperations(scope, entity, { record, name, told }),
    ...fileOperations(scope, entity, { list, record, name, named }),
  ];
  return offered.flatMap(([isThere, made]) => (isThere ? [{ ...made(), tag }] : []));
}

const pageParameter = {
  name: "page",
  in: "query",
  schema: { type: "integer", minimum: 1 },
};

function listOf(told: Json): Json {
  return {
    type: "object",
    required: ["rows", "next"],
    properties: {
      rows: { type: "array", items: told },
      next: { type: ["string", "null"] },
      total: { type: "integer" },
    },
  };
}

function archiveOperations(
  scope: Scope,
  entity: Entity,
  { record, name, told }: { record: string; name: string; told: Json },
): Offered[] {
  const isThere = entity.archive === true && scope.may("change", entity);
  return (["archive", "restore"] as const).map((verb) => [
    isThere,
    () => ({
      address: `${record}/archived`,
      method: verb === "archive" ? "put" : "delete",
      id: `${verb}${name}`,
      summary: scope.messages.api.operations[verb],
      parameters: shared("id", "ifMatch"),
      answer: asJson(told),
      problems: conflicts,
    }),
  ]);
}

function fileOperations(
  scope: Scope,
  entity: Entity,
  { list, record, name, named }: { list: string; record: string; name: string; named: Name },
): Offered[] {
  const names = filesFields(entity).map(([field]) => field);
  if (names.length === 0) return [];
  const { operations: words } = scope.messages.api;
  const field = pathParameter("field", { enum: names });
  return [
    [
      scope.may("see", entity),
      () => ({
        address: `${record}/files/{field}/{key}`,
        method: "get",
        id: `getFile${name}`,
        summary: words.file,
        parameters: [...shared("id"), field, pathParameter("key")],
        answer: { "*/*": {} },
        problems: ["not-found"],
      }),
    ],
    [
      scope.may("add", entity) || scope.may("change", entity),
      () => ({
        address: `${list}/files/{field}`,
        method: "post",
        id: `sendFile${name}`,
        summary: words.sendFile,
        parameters: [field, textParameter("name")],
        body: { "application/octet-stream": {} },
        status: 201,
        answer: asJson(named(fileShape, "File")),
        problems: ["not-found", "too-large", "invalid"],
      }),
    ],
  ];
}
