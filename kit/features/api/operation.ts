import type { Scope } from "../../access/scope.ts";
import { type ProblemKind, problemStatus } from "../../http/problem.ts";
import { rowsAtOnce } from "./asked-rows.ts";
import { mediaTypes } from "./sent-json.ts";

export type Json = Readonly<Record<string, unknown>>;

/** What can be asked at an address, by a method. */
export interface Operation {
  address: string;
  method: "get" | "post" | "put" | "patch" | "delete";
  id: string;
  /** The group of operations to which it belongs. */
  tag?: string;
  summary: string;
  parameters: readonly Json[];
  /** The body, by its media type. */
  body?: Json;
  /** The status of its answer, and what that has, by its media type. */
  status?: 201 | 204;
  answer?: Json;
  problems: readonly ProblemKind[];
}

/** Operations as the description has them, by their addresses. `isOpen` says whether nobody signs in. */
export function pathsOf(operations: readonly Operation[], isOpen: boolean): Json {
  const paths: Record<string, Record<string, Json>> = {};
  for (const operation of operations) {
    const { address, method } = operation;
    paths[address] = { ...paths[address], [method]: described(operation, isOpen) };
  }
  return paths;
}

function described(operation: Operation, isOpen: boolean): Json {
  const { id, tag, summary, parameters, body, status = 200, answer, problems } = operation;
  const kinds: ProblemKind[] = [
    ...problems,
    ...(isOpen ? [] : (["sign-in", "forbidden", "too-many"] as const)),
    ...(body ? (["too-large"] as const) : []),
    "failed",
    "away",
  ];
  return {
    operationId: id,
    ...(tag !== undefined && { tags: [tag] }),
    summary,
    ...(parameters.length > 0 && { parameters }),
    ...(body && { requestBody: { required: true, content: content(body) } }),
    responses: {
      [status]: { description: "OK", ...(answer && { content: content(answer) }) },
      ...Object.fromEntries(
        kinds.map((kind) => [
          problemStatus[kind],
          refTo("responses", `problem${problemStatus[kind]}`),
        ]),
      ),
    },
  };
}

function content(shapes: Json): Json {
  return Object.fromEntries(Object.entries(shapes).map(([type, schema]) => [type, { schema }]));
}

/** A JSON body or answer of a shape. */
export function asJson(schema: Json): Json {
  return { [mediaTypes.json]: schema };
}

/** What stands in the description once, by its name. */
export function refTo(kind: "parameters" | "responses" | "schemas", name: string): Json {
  return { $ref: `#/components/${kind}/${name}` };
}

export function textParameter(name: string, several = false): Json {
  const text = { type: "string" };
  return { name, in: "query", schema: several ? { type: "array", items: text } : text };
}

export function pathParameter(name: string, schema: Json = { type: "string" }): Json {
  return { name, in: "path", required: true, schema };
}

/** The parameters that many operations have. */
export function sharedParameters({ messages }: Scope): Json {
  const words = messages.api.parameters;
  const query = (name: keyof typeof words, schema: Json) => ({
    [name]: { name, in: "query", description: words[name], schema },
  });
  const header = (key: keyof typeof words, name: string, required = false) => ({
    [key]: { name, in: "header", required, description: words[key], schema: { type: "string" } },
  });
  const { most, usual } = rowsAtOnce;
  return {
    id: pathParameter("id", { type: "integer", minimum: 1 }),
    ...query("search", { type: "string", maxLength: 100 }),
    ...query("size", { type: "integer", minimum: 1, maximum: most, default: usual }),
    ...query("after", { type: "integer", minimum: 1 }),
    ...query("count", { enum: ["all"] }),
    ...query("archived", { enum: ["only", "all"] }),
    ...query("only", { type: "string" }),
    ...query("fields", { type: "string" }),
    ...query("along", { type: "string" }),
    ...query("parts", { enum: ["delete"] }),
    ...header("ifMatch", "If-Match", true),
    ...header("idempotencyKey", "Idempotency-Key"),
  };
}
