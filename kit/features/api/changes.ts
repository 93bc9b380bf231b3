import type { Context } from "hono";
import * as z from "zod";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { changesPath, Problem, problemDetails, problemStatus } from "../../http/problem.ts";
import { logError } from "../../store/log.ts";
import { type Submission, submissionUnder, submitOnce } from "../../store/submissions.ts";
import { inTransaction } from "../../store/transactions.ts";
import type { Feature } from "../feature.ts";
import { problemOf, titleOf } from "./problems.ts";
import { askedOnce, sentJson } from "./sent-json.ts";
import { addRecord, changeRecord, deleteRecord } from "./write.ts";

/** The most changes of one request, and the most bytes that it carries. */
const most = { changes: 1000, bytes: 8 * 1024 * 1024 } as const;

const version = z.union([z.int().min(1), z.literal("any")]).meta({
  description: "The version that the change was made of; `any` for whichever there is",
});
const id = z.int().min(1);
const values = z.record(z.string(), z.unknown());
/** The address of the list: `hives` for `/hives`. */
const list = z.string().max(200);

/** One of the changes that are sent together. */
export const changeShape = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("add"), in: list, values }),
  z.strictObject({ do: z.literal("change"), in: list, id, version, values }),
  z.strictObject({
    do: z.literal("delete"),
    in: list,
    id,
    version,
    parts: z.literal("delete").optional(),
  }),
]);
type Change = z.infer<typeof changeShape>;

export const changesShape = z.strictObject({
  together: z.boolean().meta({
    description: "All of them or none, in one transaction; otherwise each on its own",
  }),
  changes: z.array(changeShape).min(1).max(most.changes),
});

/** What became of each change, in their order. */
export const resultsShape = z.object({
  results: z.array(
    z.object({
      status: z.int(),
      id: z.int().optional(),
      version: z.int().optional(),
      problem: z.record(z.string(), z.unknown()).optional(),
    }),
  ),
});
type Results = z.infer<typeof resultsShape>["results"];

/** Many changes of records of some entities, in one request. */
export function manyChanges(entities: readonly Entity[]): Feature {
  return {
    routes: [
      {
        method: "POST",
        path: changesPath,
        needs: "nothing",
        bytes: most.bytes,
        answer: (c, scope) => answerChanges(c, scope, entities),
      },
    ],
  };
}

/** What making a change looks at. */
interface Making {
  scope: Scope;
  /** The entities whose records can be changed. */
  entities: readonly Entity[];
}

async function answerChanges(c: Context, scope: Scope, entities: readonly Entity[]) {
  const body = await sentJson(c, scope);
  const read = changesShape.safeParse(body);
  const { api } = scope.messages;
  if (!read.success) {
    const wrong = read.error.issues.slice(0, 20).map(({ path, message }) => ({
      pointer: ["#", ...path].join("/"),
      detail: message,
    }));
    throw new Problem("invalid", api.wrongBody, wrong);
  }
  const { together, changes } = read.data;
  const once = await askedOnce(c, scope);
  const results = together
    ? await allOrNone({ scope, entities }, changes, once)
    : await eachAlone({ scope, entities }, changes, once);
  return c.json({ results });
}

async function eachAlone(
  making: Making,
  changes: readonly Change[],
  once: Submission | undefined,
): Promise<Results> {
  const results: Results = [];
  for (const [at, change] of changes.entries()) {
    const own = once && submissionUnder([once.token, at], [once.digest]);
    results.push(await tried(making, change, own));
  }
  return results;
}

/** What became of a change that is on its own. */
async function tried(making: Making, change: Change, once?: Submission): Promise<Results[number]> {
  const { scope } = making;
  try {
    return await made(making, change, once);
  } catch (error) {
    const problem = problemOf(scope, error);
    const status = problemStatus[problem.kind];
    if (status >= 500) logError(error, `${change.do} of many changes`);
    return { status, problem: problemDetails(problem, titleOf(scope, problem.kind)) };
  }
}

/** Ends the transaction of changes of which one can't be made. */
class NotTogether extends Error {
  constructor(readonly problem: Problem) {
    super();
  }
}

async function allOrNone(
  { scope, entities }: Making,
  changes: readonly Change[],
  once: Submission | undefined,
): Promise<Results> {
  const makeAll = async (within: Scope): Promise<Results> => {
    const results: Results = [];
    const failed: { at: number; problem: Problem }[] = [];
    for (const [at, change] of changes.entries()) {
      try {
        results.push(await made({ scope: within, entities }, change));
      } catch (error) {
        const problem = problemOf(within, error);
        if (problemStatus[problem.kind] >= 500) throw error;
        failed.push({ at, problem });
        if (failed.length >= 20) break;
      }
    }
    const [first] = failed;
    if (!first) return results;
    const wrong = failed.flatMap(({ at, problem }) => wrongIn(at, problem));
    throw new NotTogether(new Problem(first.problem.kind, scope.messages.api.noneMade, wrong));
  };
  try {
    if (!once) return await inTransaction(scope.db, (trx) => makeAll(scope.within(trx)));
    const done = await submitOnce<never>(scope.db, once, async (trx) => {
      const results = await makeAll(scope.within(trx));
      return { href: "", text: JSON.stringify(results) };
    });
    return "outcome" in done ? (JSON.parse(done.outcome.text) as Results) : [];
  } catch (error) {
    throw error instanceof NotTogether ? error.problem : error;
  }
}

/** What is wrong with one of many changes, by its place among them. */
function wrongIn(at: number, { detail, wrong }: Problem) {
  const own = `#/changes/${at}`;
  if (wrong.length === 0) return [{ pointer: own, detail }];
  return wrong.map((each) => ({
    pointer: each.pointer ? each.pointer.replace(/^#/, `${own}/values`) : own,
    detail: each.detail,
  }));
}

async function made(making: Making, change: Change, once?: Submission): Promise<Results[number]> {
  const { scope } = making;
  const entity = listed(making, change.in);
  switch (change.do) {
    case "add":
      return { status: 201, ...told(await addRecord(scope, entity, change.values, once)) };
    case "change":
      return {
        status: 200,
        ...told(await changeRecord(scope, entity, change, change.values, once)),
      };
    case "delete":
      await deleteRecord(scope, entity, { ...change, withParts: change.parts === "delete" }, once);
      return { status: 204, id: change.id };
  }
}

function told({ id, version }: { id: number; version: number }) {
  return { id, version };
}

/** The entity of a list that a change names. */
function listed({ scope, entities }: Making, name: string): Entity {
  const found = entities.find(({ path }) => path === `/${name}`);
  if (found) return found;
  throw new Problem("not-found", scope.messages.api.noList(name.slice(0, 80)));
}
