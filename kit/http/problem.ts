import type { Context } from "hono";

/** What can be wrong with a request of a program, each with the status of its answer. */
export const problemStatus = {
  unreadable: 400,
  query: 400,
  "sign-in": 401,
  forbidden: 403,
  "not-found": 404,
  conflict: 409,
  changed: 412,
  "too-large": 413,
  "media-type": 415,
  invalid: 422,
  "key-reused": 422,
  "version-needed": 428,
  "too-many": 429,
  failed: 500,
  unknown: 500,
  away: 503,
} as const;

export type ProblemKind = keyof typeof problemStatus;

/** What is wrong with a part of what was sent: a member of the body, or a parameter of the address. */
export interface Wrong {
  /** The place in the body, as a JSON pointer (RFC 6901): `#/code`. */
  pointer?: string;
  /** The name of the parameter. */
  parameter?: string;
  detail: string;
}

/** Ends a request of a program with what is wrong, which is answered as problem details (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly kind: ProblemKind,
    readonly detail: string,
    readonly wrong: readonly Wrong[] = [],
    /** Headers of the answer, such as the seconds after which to try again. */
    readonly headers: Readonly<Record<string, string>> = {},
  ) {
    super(detail);
  }
}

/** Problem details as JSON has them; `title` says the same for all problems of a kind. */
export function problemDetails(
  { kind, detail, wrong }: Pick<Problem, "kind" | "detail" | "wrong">,
  title: string,
) {
  return {
    type: `${referencePath}#problem-${kind}`,
    title,
    status: problemStatus[kind],
    detail,
    ...(wrong.length > 0 && { errors: wrong }),
  };
}

/** The answer to a request that has such a problem. */
export function problemAnswer(c: Context, problem: Problem, title: string): Response {
  const headers = { ...problem.headers, "content-type": "application/problem+json" };
  const status = problemStatus[problem.kind];
  return c.body(JSON.stringify(problemDetails(problem, title)), status, headers);
}

/** Where programs ask. What belongs to no entity has addresses beside it, as an entity can be called anything. */
export const apiPath = "/-/api";
export const changesPath = "/-/api-changes";
export const openApiPath = "/-/openapi.json";

/** The page that describes what they can ask for. */
export const referencePath = "/-/api-reference";

/** Whether a request is one of a program, which is answered without pages. */
export function isApi(path: string): boolean {
  return path.startsWith(`${apiPath}/`) || [apiPath, changesPath, openApiPath].includes(path);
}
