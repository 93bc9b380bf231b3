import * as z from "zod";
import { type Action, actions } from "../../access/action.ts";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReferences } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { reportParameters } from "../../formula/report.ts";
import { changesPath, type ProblemKind, problemStatus } from "../../http/problem.ts";
import { filterable, filterParameter } from "../../store/list/filters.ts";
import { filesFields } from "../form/sent-record.ts";
import { apiAddress, linesAddress } from "./address.ts";
import { rowsAtOnce } from "./asked-rows.ts";
import { changesShape, resultsShape } from "./changes.ts";
import { mediaTypes } from "./sent-json.ts";
import { shapesOf, sortNames } from "./shapes.ts";

type Json = Readonly<Record<string, unknown>>;

/** A description of all that a person can ask for, by the OpenAPI standard, version 3.1. */
export function openApi(scope: Scope, entities: readonly Entity[], origin: string) {
  const seen = entities.filter((entity) => actions.some((action) => scope.may(action, entity)));
  const names = componentNames(seen);
  const shapes = z.registry<{ id: string }>();
  const named = (shape: z.ZodType, id: string) => {
    shapes.add(shape, { id });
    return refTo(id);
  };
  const paths = seen.map((entity) => pathsOf(scope, entity, names.get(entity) ?? "", named));
  const many = {
    [changesPath]: {
      post: operation({
        id: "makeChanges",
        tags: [],
        summary: scope.messages.api.operations.changes,
        parameters: [ref("parameters", "idempotencyKey")],
        body: { [mediaTypes.json]: named(changesShape, "Changes") },
        answers: { 200: named(resultsShape, "ChangeResults") },
        problems: ["unreadable", "conflict", "changed", "media-type", "invalid", "key-reused"],
        isOpen: !scope.access,
      }),
    },
  };
  named(problemShape, "Problem");
  const { schemas } = z.toJSONSchema(shapes, {
    uri: (id) => `#/components/schemas/${id}`,
    target: "draft-2020-12",
    io: "input",
    override: ({ jsonSchema }) => withoutNoise(jsonSchema),
  }) as { schemas: Readonly<Record<string, Json>> };
  return {
    openapi: "3.1.0",
    info: {
      title: scope.settings.name,
      version: "1",
      description: scope.messages.api.description,
    },
    servers: [{ url: origin }],
    ...(scope.access && { security: [{ token: [] }, { session: [] }] }),
    paths: Object.assign({}, ...paths, many) as Json,
    components: {
      schemas: Object.fromEntries(
        Object.entries(schemas).map(([id, { $schema: _, $id: __, ...schema }]) => [id, schema]),
      ),
      parameters: sharedParameters(scope),
      responses: problemAnswers(scope),
      ...(scope.access && {
        securitySchemes: {
          token: { type: "http", scheme: "bearer" },
          session: { type: "apiKey", in: "cookie", name: "session" },
        },
      }),
    },
  };
}

/** Takes out what says no more than the rest: the pattern of a format, and the largest number that there can be. */
function withoutNoise(schema: z.core.JSONSchema.BaseSchema): void {
  if (schema.format === "date" || schema.format === "date-time") delete schema.pattern;
  if (schema.maximum === Number.MAX_SAFE_INTEGER) delete schema.maximum;
  if (schema.minimum === Number.MIN_SAFE_INTEGER) delete schema.minimum;
}

const problemShape = z.object({
  type: z.string(),
  title: z.string(),
  status: z.int(),
  detail: z.string(),
  errors: z
    .array(
      z.object({
        pointer: z.string().optional(),
        parameter: z.string().optional(),
        detail: z.string(),
      }),
    )
    .optional(),
});

/** Names for the shapes of entities, by their tables: letters of ASCII, and no two alike. */
function componentNames(entities: readonly Entity[]): ReadonlyMap<Entity, string> {
  const taken = new Set(["Changes", "ChangeResults", "Problem"]);
  return new Map(
    entities.map((entity) => {
      const words = entity.table.normalize("NFKD").match(/[A-Za-z0-9]+/g) ?? ["Entity"];
      const plain = words.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join("");
      let name = plain;
      for (let number = 2; taken.has(name); number++) name = `${plain}${number}`;
      for (const end of ["", "Part", "New", "Change", "List"]) taken.add(name + end);
      return [entity, name];
    }),
  );
}

type Named = (shape: z.ZodType, id: string) => Json;

/** The addresses of an entity, with what the person may do there. */
function pathsOf(scope: Scope, entity: Entity, name: string, named: Named): Json {
  const shapes = shapesOf(scope, entity);
  const { operations } = scope.messages.api;
  const { headings, many } = scope.namesOf(entity);
  const may = (action: Action) => scope.may(action, entity);
  const tags = [headings];
  const isOpen = !scope.access;
  const list = encodeURI(apiAddress(entity));
  const record = `${list}/{id}`;
  const whole = may("see") ? named(shapes.whole, name) : undefined;
  const part = named(shapes.part, `${name}Part`);
  const told = whole ? { anyOf: [whole, part] } : part;
  const rows = { type: "array", items: told };
  const listed = {
    type: "object",
    required: ["rows", "next"],
    properties: {
      rows,
      next: { type: ["string", "null"] },
      total: { type: "integer" },
    },
  };
  const id = ref("parameters", "id");
  const written = [ref("parameters", "ifMatch"), ref("parameters", "idempotencyKey")];
  const describing = [ref("parameters", "fields"), ref("parameters", "along")];
  const filters = filterParameters(scope, entity);
  const conflicts: ProblemKind[] = ["changed", "version-needed", "conflict"];
  const wrongs: ProblemKind[] = ["unreadable", "media-type", "invalid", "key-reused"];
  const ofList = {
    ...(may("see") && {
      get: operation({
        id: `list${name}`,
        tags,
        summary: operations.list(many),
        parameters: [
          ...["search", "size", "after", "count"].map((each) => ref("parameters", each)),
          sortParameter(scope, entity),
          ...(entity.archive ? [ref("parameters", "archived")] : []),
          ref("parameters", "only"),
          ...describing,
          ...filters,
        ],
        answers: { 200: listed },
        problems: ["query"],
        isOpen,
      }),
    }),
    ...(may("add") && {
      post: operation({
        id: `add${name}`,
        tags,
        summary: operations.add,
        parameters: [ref("parameters", "idempotencyKey")],
        body: { [mediaTypes.json]: named(shapes.added, `${name}New`) },
        answers: { 201: told },
        problems: wrongs,
        isOpen,
      }),
    }),
  };
  const ofOne = {
    ...(may("see") && {
      get: operation({
        id: `get${name}`,
        tags,
        summary: operations.one,
        parameters: [id, ...describing],
        answers: { 200: told },
        problems: ["query", "not-found"],
        isOpen,
      }),
    }),
    ...(may("change") && {
      patch: operation({
        id: `change${name}`,
        tags,
        summary: operations.change,
        parameters: [id, ...written],
        body: { [mediaTypes.patch]: named(shapes.changed, `${name}Change`) },
        answers: { 200: told },
        problems: ["not-found", ...conflicts, ...wrongs],
        isOpen,
      }),
    }),
    ...(may("delete") && {
      delete: operation({
        id: `delete${name}`,
        tags,
        summary: operations.delete,
        parameters: [id, ...written, ref("parameters", "parts")],
        answers: { 204: undefined },
        problems: ["query", "not-found", "key-reused", ...conflicts],
        isOpen,
      }),
    }),
  };
  const paths: Record<string, Json> = { [list]: ofList, [record]: ofOne };
  if (may("see")) {
    paths[`${list}/report`] = {
      get: operation({
        id: `report${name}`,
        tags,
        summary: operations.report(many),
        parameters: [...reportParameters.map((each) => textParameter(each, true)), ...filters],
        answers: { 200: named(reportShape, `${name}Report`) },
        problems: ["query"],
        isOpen,
      }),
    };
  }
  if (may("export")) {
    paths[encodeURI(linesAddress(entity))] = {
      get: operation({
        id: `lines${name}`,
        tags,
        summary: operations.lines(many),
        parameters: [
          ...["search", "after"].map((each) => ref("parameters", each)),
          ...(entity.archive ? [ref("parameters", "archived")] : []),
          ref("parameters", "only"),
          ...describing,
          ...filters,
        ],
        answers: { 200: undefined },
        more: { [mediaTypes.lines]: part },
        problems: ["query"],
        isOpen,
      }),
    };
  }
  if (may("history")) {
    paths[`${record}/history`] = {
      get: operation({
        id: `history${name}`,
        tags,
        summary: operations.history,
        parameters: [id, { ...textParameter("page"), schema: { type: "integer", minimum: 1 } }],
        answers: { 200: named(historyShape, `${name}History`) },
        problems: ["not-found"],
        isOpen,
      }),
    };
  }
  if (entity.archive && may("change")) {
    const archiving = (verb: "archive" | "restore") =>
      operation({
        id: `${verb}${name}`,
        tags,
        summary: operations[verb],
        parameters: [id, ref("parameters", "ifMatch")],
        answers: { 200: told },
        problems: ["not-found", ...conflicts],
        isOpen,
      });
    paths[`${record}/archived`] = { put: archiving("archive"), delete: archiving("restore") };
  }
  if (filesFields(entity).length > 0) Object.assign(paths, filePaths());
  return Object.fromEntries(Object.entries(paths).filter(([, path]) => hasAny(path)));

  function filePaths(): Record<string, Json> {
    const names = filesFields(entity).map(([field]) => field);
    const field = { ...pathParameter("field"), schema: { enum: names } };
    const binary = { "application/octet-stream": {} };
    const sends = may("add") || may("change");
    return {
      [`${record}/files/{field}/{key}`]: {
        ...(may("see") && {
          get: operation({
            id: `getFile${name}`,
            tags,
            summary: operations.file,
            parameters: [id, field, pathParameter("key")],
            answers: { 200: undefined },
            more: { "*/*": {} },
            problems: ["not-found"],
            isOpen,
          }),
        }),
      },
      [`${list}/files/{field}`]: {
        ...(sends && {
          post: operation({
            id: `sendFile${name}`,
            tags,
            summary: operations.sendFile,
            parameters: [field, textParameter("name")],
            body: binary,
            answers: { 201: named(fileShape, `${name}File`) },
            problems: ["not-found", "too-large", "invalid"],
            isOpen,
          }),
        }),
      },
    };
  }
}

const fileShape = z.object({
  key: z.string(),
  name: z.string(),
  type: z.string(),
  bytes: z.int(),
  width: z.int().optional(),
  height: z.int().optional(),
});

const reportShape = z.object({
  dimensions: z.array(z.string()),
  across: z.string().nullable(),
  figures: z.array(z.string()),
  columns: z.array(z.object({ label: z.string().nullable(), figures: z.array(z.int()) })),
  lines: z.array(
    z.object({
      depth: z.int(),
      label: z.string(),
      keys: z.array(z.string().nullable()),
      isWhole: z.boolean(),
      values: z.array(z.array(z.union([z.number(), z.string(), z.null()]))),
    }),
  ),
});

const historyShape = z.object({
  entries: z.array(
    z.object({
      at: z.string(),
      who: z.string().nullable(),
      action: z.string(),
      changes: z.record(z.string(), z.unknown()),
    }),
  ),
  total: z.int(),
  page: z.int(),
  pages: z.int(),
});

function hasAny(path: Json): boolean {
  return Object.keys(path).length > 0;
}

/** What can be asked at an address, by a method. */
interface Operation {
  id: string;
  tags: readonly string[];
  summary: string;
  parameters: readonly Json[];
  /** The body by its media types. */
  body?: Json;
  /** The shapes of answers, by their status. */
  answers: Readonly<Record<number, Json | undefined>>;
  /** Other media types of the answer. */
  more?: Json;
  problems: readonly ProblemKind[];
  /** Whether nobody signs in. */
  isOpen: boolean;
}

function operation(asked: Operation): Json {
  const { id, tags, summary, parameters, body, answers, more = {}, problems, isOpen } = asked;
  const kinds: ProblemKind[] = [
    ...problems,
    ...(isOpen ? [] : (["sign-in", "forbidden", "too-many"] as const)),
    ...(body ? (["too-large"] as const) : []),
    "failed",
    "away",
  ];
  return {
    operationId: id,
    ...(tags.length > 0 && { tags }),
    summary,
    ...(parameters.length > 0 && { parameters }),
    ...(body && {
      requestBody: {
        required: true,
        content: Object.fromEntries(
          Object.entries(body).map(([type, schema]) => [type, { schema }]),
        ),
      },
    }),
    responses: {
      ...Object.fromEntries(
        Object.entries(answers).map(([status, schema]) => [status, answerOf(schema, more)]),
      ),
      ...Object.fromEntries(
        kinds.map((kind) => [
          problemStatus[kind],
          ref("responses", `problem${problemStatus[kind]}`),
        ]),
      ),
    },
  };
}

function answerOf(schema: Json | undefined, more: Json) {
  const content = {
    ...(schema && { [mediaTypes.json]: { schema } }),
    ...Object.fromEntries(Object.entries(more).map(([type, each]) => [type, { schema: each }])),
  };
  return { description: "OK", ...(hasAny(content) && { content }) };
}

function problemAnswers({ messages }: Scope): Json {
  const statuses = new Map<number, string[]>();
  for (const [kind, status] of Object.entries(problemStatus)) {
    const title = messages.api.problems[kind as ProblemKind];
    statuses.set(status, [...(statuses.get(status) ?? []), title]);
  }
  return Object.fromEntries(
    [...statuses].map(([status, titles]) => [
      `problem${status}`,
      {
        description: titles.join(" / "),
        content: { "application/problem+json": { schema: refTo("Problem") } },
      },
    ]),
  );
}

function ref(kind: "parameters" | "responses", name: string): Json {
  return { $ref: `#/components/${kind}/${name}` };
}

function refTo(name: string): Json {
  return { $ref: `#/components/schemas/${name}` };
}

function textParameter(name: string, several = false): Json {
  const text = { type: "string" };
  return { name, in: "query", schema: several ? { type: "array", items: text } : text };
}

function pathParameter(name: string): Json {
  return { name, in: "path", required: true, schema: { type: "string" } };
}

function sharedParameters({ messages }: Scope): Json {
  const words = messages.api.parameters;
  const query = (name: keyof typeof words, schema: Json) => ({
    [name]: { name, in: "query", description: words[name], schema },
  });
  const header = (key: keyof typeof words, name: string, required = false) => ({
    [key]: { name, in: "header", required, description: words[key], schema: { type: "string" } },
  });
  const { most, usual } = rowsAtOnce;
  return {
    id: { ...pathParameter("id"), schema: { type: "integer", minimum: 1 } },
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

function sortParameter(scope: Scope, entity: Entity): Json {
  return {
    ...textParameter("sort"),
    description: `${scope.messages.api.parameters.sort} ${sortNames(scope, entity).join(", ")}`,
  };
}

/** The filters of a list, as its address has them. */
function filterParameters(scope: Scope, entity: Entity): Json[] {
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
