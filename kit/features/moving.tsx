import type { Context } from "hono";
import { Forbidden, type Scope } from "../access/scope.ts";
import type { Entity, Row } from "../entity/entity.ts";
import { address, localAddress, recordId } from "../entity/links.ts";
import type { Typed } from "../entity/typed.ts";
import { sentForm, sentSubmission, sentText, sentVersion } from "../http/sent-form.ts";
import { changedDraft } from "../store/drafts.ts";
import { saveSubmission } from "../store/save.ts";
import { findAnyRow } from "../store/select.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { toldErrors } from "../ui/seen-errors.ts";
import { leave } from "./leave.ts";

/** What becomes of a record that is moved somewhere. */
export interface Moved {
  changes: Typed;
  /** Where it is then, as people read it. */
  words: string;
}

/**
 * Moves a record to where a form says (`to`): some of its fields are changed, and it is checked and saved as its form would
 * do it. `moved` gives undefined for a place that there isn't.
 */
export async function moveSent(
  c: Context,
  scope: Scope,
  entity: Entity,
  moved: (row: Row, to: string) => Moved | undefined,
) {
  const { messages } = scope;
  const data = await sentForm(c);
  const id = recordId(sentText(data, "id"));
  const version = sentVersion(data);
  const row = id === undefined ? undefined : await findAnyRow(scope, entity, id);
  const move = row && moved(row, sentText(data, "to"));
  if (!row || !move || version === undefined) return c.notFound();
  const back = localAddress(sentText(data, "_back")) ?? encodeURI(entity.path);
  const { typed, unasked } = await changedDraft(scope, entity, row, move.changes);
  const goTo = (now: Row) => ({
    href: back,
    text: messages.moved(now.displayTitle.slice(0, 200), move.words),
  });
  const why = unasked.length > 0 ? messages.notAsked : undefined;
  const result = why
    ? { errors: new Map([["", why]]) }
    : await saveSubmission(
        scope,
        entity,
        { typed, saved: { row, version } },
        { submission: sentSubmission(c, data), goTo },
      ).catch((error) => {
        if (error instanceof Forbidden) return { errors: new Map([["", messages.mayNotChange]]) };
        throw error;
      });
  if ("outcome" in result) return leave(c, result);
  const reasons =
    "errors" in result ? toldErrors(scope, entity, result.errors) : [messages.movedMeanwhile];
  const page = (
    <>
      <Trail scope={scope} to={back} label={scope.namesOf(entity).headings} />
      <h1>{messages.notMoved(row.displayTitle)}</h1>
      <ul>
        {reasons.map((reason) => (
          <li>{reason}</li>
        ))}
      </ul>
      {scope.offers("/edit", entity) && (
        <a
          class="btn btn-primary"
          href={`${address(row)}/edit?${new URLSearchParams({ _back: back })}`}
        >
          {messages.edit}
        </a>
      )}
    </>
  );
  const title = messages.notMoved(row.displayTitle);
  return showPage(c, scope, page, { title, status: "stale" in result ? 409 : 422 });
}
