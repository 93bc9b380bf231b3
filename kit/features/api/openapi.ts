import * as z from "zod";
import { actions } from "../../access/action.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { changesPath, type ProblemKind, problemStatus } from "../../http/problem.ts";
import { problemShape } from "./answer-shapes.ts";
import { changesShape, resultsShape } from "./changes.ts";
import { entityOperations, type Name } from "./entity-operations.ts";
import {
  asJson,
  type Json,
  type Operation,
  pathsOf,
  refTo,
  sharedParameters,
} from "./operation.ts";

/** A description of all that a person can ask for, by the OpenAPI standard, version 3.1. */
export function openApi(scope: Scope, entities: readonly Entity[], origin: string) {
  const seen = entities.filter((entity) => actions.some((action) => scope.may(action, entity)));
  const names = componentNames(seen);
  const shapes = z.registry<{ id: string }>();
  const named: Name = (shape, id) => {
    shapes.add(shape, { id });
    return refTo("schemas", id);
  };
  const operations = [
    ...seen.flatMap((entity) => entityOperations(scope, entity, names.get(entity) ?? "", named)),
    manyChanges(scope, named),
  ];
  named(problemShape, "Problem");
  const isOpen = !scope.access;
  return {
    openapi: "3.1.0",
    info: {
      title: scope.settings.name,
      version: "1",
      description: scope.messages.api.description,
    },
    servers: [{ url: origin }],
    ...(!isOpen && { security: [{ token: [] }, { session: [] }] }),
    paths: pathsOf(operations, isOpen),
    components: {
      schemas: schemasOf(shapes),
      parameters: sharedParameters(scope),
      responses: problemAnswers(scope),
      ...(!isOpen && {
        securitySchemes: {
          token: { type: "http", scheme: "bearer" },
          session: { type: "apiKey", in: "cookie", name: "session" },
        },
      }),
    },
  };
}

function manyChanges({ messages }: Scope, named: Name): Operation {
  return {
    address: changesPath,
    method: "post",
    id: "makeChanges",
    summary: messages.api.operations.changes,
    parameters: [refTo("parameters", "idempotencyKey")],
    body: asJson(named(changesShape, "Changes")),
    answer: asJson(named(resultsShape, "ChangeResults")),
    problems: [
      "unreadable",
      "not-found",
      "conflict",
      "changed",
      "media-type",
      "invalid",
      "key-reused",
    ],
  };
}

/** The shapes as JSON Schema, by their names. */
function schemasOf(shapes: z.core.$ZodRegistry<{ id: string }>): Json {
  const { schemas } = z.toJSONSchema(shapes, {
    uri: (id) => `#/components/schemas/${id}`,
    target: "draft-2020-12",
    io: "input",
    override: ({ jsonSchema }) => withoutNoise(jsonSchema),
  });
  return Object.fromEntries(
    Object.entries(schemas).map(([id, { $schema: _, $id: __, ...schema }]) => [id, schema]),
  );
}

/** Takes out what says no more than the rest: the pattern of a format, and the largest number that there can be. */
function withoutNoise(schema: z.core.JSONSchema.BaseSchema): void {
  if (schema.format === "date" || schema.format === "date-time") delete schema.pattern;
  if (schema.maximum === Number.MAX_SAFE_INTEGER) delete schema.maximum;
  if (schema.minimum === Number.MIN_SAFE_INTEGER) delete schema.minimum;
}

/** Names for the shapes of entities, by their tables: letters of ASCII, and no two alike. */
function componentNames(entities: readonly Entity[]): ReadonlyMap<Entity, string> {
  const taken = new Set(["Changes", "ChangeResults", "Problem", "Report", "History", "File"]);
  return new Map(
    entities.map((entity) => {
      const words = entity.table.normalize("NFKD").match(/[A-Za-z0-9]+/g) ?? ["Entity"];
      const plain = words.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join("");
      let name = plain;
      for (let number = 2; taken.has(name); number++) name = `${plain}${number}`;
      for (const end of ["", "Part", "New", "Change"]) taken.add(name + end);
      return [entity, name];
    }),
  );
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
        content: { "application/problem+json": { schema: refTo("schemas", "Problem") } },
      },
    ]),
  );
}
