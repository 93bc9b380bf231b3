import type { Context } from "hono";
import type { Child } from "hono/jsx";
import { sql } from "kysely";
import { refusedOn, requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, type Link, recordId } from "../../entity/links.ts";
import { isSameTyped, writtenValues } from "../../entity/typed.ts";
import { type SentForm, sentForm, sentSubmission, sentText } from "../../http/sent-form.ts";
import { archiveConditions } from "../../store/archive.ts";
import { longestSearch } from "../../store/list/request.ts";
import { titleMatches } from "../../store/list/search.ts";
import { mergeSubmission, mostMoved, type NotMerged } from "../../store/merge.ts";
import { type ReferencingRecords, referencedBy } from "../../store/referenced-by.ts";
import { findAnyRow } from "../../store/select.ts";
import { shownValues } from "../../store/shown-values.ts";
import { newToken, sentBefore } from "../../store/submissions.ts";
import { titledLinks } from "../../store/titled-links.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { References } from "../../ui/references-list.tsx";
import { labelOfColumn, shownValue } from "../../ui/value.tsx";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { leave } from "../leave.ts";

/** How many records are offered to be merged with one. */
const mostOffered = 20;

/** Merges two records that are the same: values are chosen, references move along, and one of the two is deleted. */
export function merge<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const path = `${entity.path}/${recordPart}/merge`;
  const needs = { action: "change", entity } as const;
  const both = async (c: Context, scope: Scope) => {
    const kept = await askedRecord(c, scope, entity);
    const id = recordId(c.req.query("with") ?? "");
    const gone = id === undefined ? undefined : await findAnyRow(scope, entity, id);
    return { kept, gone: gone?.id === kept?.id ? undefined : gone };
  };
  return {
    links: [
      {
        on: "record",
        needs: "delete",
        path: "/merge",
        look: "secondary",
        text: (messages) => messages.merge.link,
      },
    ],
    routes: [
      {
        method: "GET",
        path,
        needs,
        answer: async (c, scope) => {
          const { kept, gone } = await both(c, scope);
          if (!kept) return c.notFound();
          scope.require("delete", entity);
          if (!gone) return chooseOther(c, scope, entity, kept);
          return ask(c, scope, entity, { kept, gone });
        },
      },
      {
        method: "POST",
        path,
        needs,
        answer: async (c, scope) => {
          const data = await sentForm(c);
          const { kept, gone } = await both(c, scope);
          if (kept && gone) return sent(c, scope, entity, { kept, gone, data });
          // What was sent twice is done once.
          const submission = sentSubmission(c, data);
          const before = await sentBefore(scope.db, submission);
          return before ? leave(c, { token: submission.token, outcome: before }) : c.notFound();
        },
      },
    ],
  };
}

interface Two {
  kept: Row;
  gone: Row;
}

/** Finds the other record. Of the two, the one that the page is of stays, unless the address says that it goes. */
async function chooseOther(c: Context, scope: Scope, entity: Entity, record: Row) {
  const { messages } = scope;
  const words = (c.req.query("words") ?? "").replaceAll("\0", "").trim().slice(0, longestSearch);
  const goes = c.req.query("goes") === "yes";
  const others = await othersOf(scope, entity, record.id, words);
  const leadsTo = (other: Link) =>
    goes
      ? `${address(other)}/merge?with=${record.id}`
      : `${address(record)}/merge?with=${other.id}`;
  const title = goes
    ? messages.merge.moveTitle(record.displayTitle)
    : messages.merge.title(record.displayTitle);
  const page = (
    <>
      <Trail scope={scope} to={address(record)} label={record.displayTitle} />
      <h1>{title}</h1>
      <p>{goes ? messages.merge.moveHelp : messages.merge.help}</p>
      <form method="get" class="search">
        {goes && <input type="hidden" name="goes" value="yes" />}
        <label class="visually-hidden" for="merge-words">
          {messages.search}
        </label>
        <input class="form-control" type="search" id="merge-words" name="words" value={words} />
        <button class="btn btn-outline-secondary" type="submit">
          {messages.search}
        </button>
      </form>
      {others.length === 0 ? (
        <p class="soft">{messages.nothingToChoose}</p>
      ) : (
        <ul class="tiles">
          {others.map((other) => (
            <li class="tile">
              <a class="stretched-link" href={leadsTo(other)}>
                {other.displayTitle}
              </a>
            </li>
          ))}
        </ul>
      )}
    </>
  );
  return showPage(c, scope, page, { title });
}

/** The first records by title besides one, whose titles have some words. */
async function othersOf(scope: Scope, entity: Entity, id: number, words: string): Promise<Link[]> {
  const conditions = [
    ...archiveConditions(entity),
    sql`${sql.ref(`${entity.table}.id`)} <> ${id}`,
    ...(words === "" ? [] : await titleMatches(scope, entity, words)),
  ];
  return titledLinks(scope, entity, conditions, { most: mostOffered });
}

/** The fields that the person may fill in and in which the two differ. */
async function differing(scope: Scope, entity: Entity, { kept, gone }: Two): Promise<string[]> {
  const withheld = scope.withheld("change", entity);
  const own = shownValues(scope, entity, kept);
  const other = shownValues(scope, entity, gone);
  return Object.entries(entity.inputs).flatMap(([name]) =>
    withheld.has(name) || isSameTyped(own.get(name), other.get(name)) ? [] : [name],
  );
}

async function ask(
  c: Context,
  scope: Scope,
  entity: Entity,
  two: Two,
  why?: NotMerged,
): Promise<Response> {
  const { messages } = scope;
  const { kept, gone } = two;
  await requireOn(scope, "change", entity, kept.id);
  await requireOn(scope, "delete", entity, gone.id);
  const names = await differing(scope, entity, two);
  const references = await referencedBy(scope, entity, gone.id);
  const title = messages.merge.title(kept.displayTitle);
  const swap = `${address(gone)}/merge?with=${kept.id}`;
  const mayGoOther = (await refusedOn(scope, entity, kept.id)).includes("delete") === false;
  const page = (
    <>
      <Trail scope={scope} to={address(kept)} label={kept.displayTitle} />
      <h1>{title}</h1>
      {why && (
        <div class="alert alert-danger" role="alert">
          <strong>{messages.merge.notDone}</strong> {refusal(scope, why)}
        </div>
      )}
      <p>{messages.merge.means(kept.displayTitle, gone.displayTitle)}</p>
      {mayGoOther && (
        <p>
          <a href={swap}>{messages.merge.swap(gone.displayTitle)}</a>
        </p>
      )}
      <form method="post">
        <input type="hidden" name="_token" value={newToken()} />
        <input type="hidden" name="_kept" value={kept.version} />
        <input type="hidden" name="_gone" value={gone.version} />
        <section class="sheet">
          <h2>{messages.merge.values}</h2>
          {names.length === 0 && <p class="soft">{messages.merge.same}</p>}
          {names.map((name) => (
            <Choice scope={scope} entity={entity} two={two} name={name} />
          ))}
        </section>
        <Moving scope={scope} references={references} />
        <p>{messages.cantBeUndone}</p>
        <button class="btn btn-danger" type="submit">
          {messages.merge.do}
        </button>{" "}
        <a class="btn btn-link" href={address(kept)}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title, status: why ? 409 : 200 });
}

/** Whose value a field gets; that of the one that stays, unless it has none. */
function Choice({
  scope,
  entity,
  two: { kept, gone },
  name,
}: {
  scope: Scope;
  entity: Entity;
  two: Two;
  name: string;
}): Child {
  const field = entity.inputs[name];
  const isBlank = !writtenValues(entity, kept, scope).get(name)?.some(Boolean);
  const sides = { kept, gone };
  return (
    <fieldset class="whose">
      <legend>{labelOfColumn(scope, entity, name)}</legend>
      {(["kept", "gone"] as const).map((side) => (
        <label class="form-check-label lines">
          <input
            class="form-check-input"
            type="radio"
            name={`_of.${name}`}
            value={side}
            checked={(side === "gone") === isBlank}
          />{" "}
          {shownValue(scope, sides[side], name, field) || scope.messages.none}
        </label>
      ))}
    </fieldset>
  );
}

function Moving({
  scope,
  references,
}: {
  scope: Scope;
  references: readonly ReferencingRecords[];
}): Child {
  if (references.length === 0) return null;
  return (
    <section class="sheet">
      <h2>{scope.messages.merge.moves}</h2>
      <References scope={scope} to={references} />
    </section>
  );
}

async function sent(
  c: Context,
  scope: Scope,
  entity: Entity,
  { kept, gone, data }: Two & { data: SentForm },
) {
  const submission = sentSubmission(c, data);
  const version = (name: string) => Number(/^\d{1,15}$/.exec(sentText(data, name))?.[0] ?? 0);
  const versions = { kept: version("_kept"), gone: version("_gone") };
  const names = await differing(scope, entity, { kept, gone });
  const other = writtenValues(entity, gone, scope);
  const taken = names.filter((name) => sentText(data, `_of.${name}`) === "gone");
  const chosen = new Map(taken.map((name) => [name, other.get(name) ?? [""]]));
  const { messages } = scope;
  const outcome = {
    href: `${encodeURI(entity.path)}/${kept.id}`,
    text: messages.merge.done(gone.displayTitle.slice(0, 200)),
  };
  const merging = { kept, gone, versions, chosen };
  const result = await mergeSubmission(scope, entity, merging, { submission, outcome });
  if ("token" in result) return leave(c, result);
  return ask(c, scope, entity, { kept, gone }, result.refused);
}

function refusal({ messages, format }: Scope, refused: NotMerged): string {
  if (refused.why === "refused") return messages.merge.refused(refused.title, refused.sentences);
  const own = {
    changed: messages.changedMeanwhile,
    "too many": messages.merge.tooMany(format.number(mostMoved)),
  };
  return { ...messages.troubles, ...own }[refused.why];
}
