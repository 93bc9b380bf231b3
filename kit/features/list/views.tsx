import type { Context } from "hono";
import { everyone } from "../../access/accounts.ts";
import {
  dropView,
  type KeptView,
  keepStartPage,
  keepsViews,
  keepView,
  startPage,
  viewsOf,
} from "../../access/kept-views.ts";
import { allGroups } from "../../access/own-groups.ts";
import { isAdministrator } from "../../access/person.ts";
import { type Errors, FormProblem, PlainInput, PlainSelect } from "../../access/plain-form.tsx";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { recordId, withQuery } from "../../entity/links.ts";
import type { NamedView } from "../../entity/named-view.ts";
import { text } from "../../fields/text.ts";
import { sentForm, sentText } from "../../http/sent-form.ts";
import { firstPage } from "../../store/list/request.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { WideTable } from "../../ui/wide-table.tsx";
import { addAddress, mayArrange } from "../dashboard/arrange.tsx";

/** The longest query that is kept. */
const longestQuery = 2000;

/** The address at which views of a list are kept. */
export function viewsPath({ path }: Entity): string {
  return `${path}/views`;
}

/** The query of an address, as a view keeps it: without what is said of one page only. */
function queryOf(query: URLSearchParams): string {
  const kept = new URLSearchParams(query);
  for (const name of Object.keys(firstPage)) kept.delete(name);
  return kept.toString();
}

/** The groups with which somebody may share: their own, everybody, and all of them for administrators. */
async function groupsFor(scope: Scope): Promise<[string, string][]> {
  const own = new Set(scope.person?.groups);
  const groups = (await allGroups(scope)).filter(
    ([name]) => own.has(name) || isAdministrator(scope.person),
  );
  return [[everyone, scope.messages.everyone], ...groups];
}

/** A page on which somebody keeps a list as it is under a name, and deletes what they kept. */
export async function showViews(
  c: Context,
  scope: Scope,
  entity: Entity,
  errors: Errors = new Map(),
) {
  const { person, messages } = scope;
  if (!person || !keepsViews(scope)) return c.notFound();
  const { searchParams: query } = new URL(c.req.url);
  const path = encodeURI(entity.path);
  const views = await viewsOf(scope, entity);
  const groups = await groupsFor(scope);
  const labels = new Map(groups);
  const start = await startPage(scope);
  const isStart = (view: KeptView) => addressOf(entity, view) === start;
  const { headings, many } = scope.namesOf(entity);
  const title = messages.viewsOf(many);
  const page = (
    <>
      <Trail scope={scope} to={withQuery(path, query, {})} label={headings} />
      <h1>{title}</h1>
      <FormProblem errors={errors} />
      <form method="post" class="sheet narrow-form">
        <h2>{messages.keepView}</h2>
        <PlainInput name="name" label={messages.name} errors={errors} />
        <PlainSelect
          name="group"
          label={messages.shareWith}
          value=""
          none={messages.nobodyElse}
          choices={groups}
          errors={errors}
        />
        <label class="form-check-label mb-3 d-block">
          <input class="form-check-input" type="checkbox" name="menu" value="yes" />{" "}
          {messages.putInMenu}
        </label>
        {query.get("layout") === "report" && (
          <label class="form-check-label mb-3 d-block">
            <input class="form-check-input" type="checkbox" name="monthly" value="yes" />{" "}
            {messages.report.monthly}
          </label>
        )}
        <button class="btn btn-primary" type="submit" name="do" value="keep">
          {messages.save}
        </button>
      </form>
      {views.length > 0 && (
        <WideTable label={title}>
          <table class="table">
            <tbody>
              {views.map((view) => (
                <tr>
                  <td>
                    <a href={addressOf(entity, view)}>{view.name}</a>
                  </td>
                  <td>
                    {view.group_name === null
                      ? messages.nobodyElse
                      : (labels.get(view.group_name) ?? view.group_name)}
                    {view.in_menu && <span class="soft small"> · {messages.isInMenu}</span>}
                    {view.monthly !== null && (
                      <span class="soft small"> · {messages.report.isMonthly}</span>
                    )}
                  </td>
                  <td>
                    <form method="post">
                      <input type="hidden" name="view" value={view.id} />
                      <button
                        class="btn btn-outline-secondary btn-sm"
                        type="submit"
                        name="do"
                        value={isStart(view) ? "end start" : "start"}
                      >
                        {isStart(view) ? messages.endStart : messages.makeStart}
                      </button>
                    </form>
                  </td>
                  <td class="text-end">
                    {(view.account_id === person.id || isAdministrator(person)) && (
                      <form method="post">
                        <input type="hidden" name="view" value={view.id} />
                        <button
                          class="btn btn-outline-danger btn-sm"
                          type="submit"
                          name="do"
                          value="drop"
                          aria-label={messages.deleteView(view.name)}
                        >
                          {messages.delete}
                        </button>
                      </form>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </WideTable>
      )}
    </>
  );
  return showPage(c, scope, page, { title, status: errors.size > 0 ? 422 : 200 });
}

export async function viewSent(c: Context, scope: Scope, entity: Entity) {
  const { person, messages } = scope;
  if (!person || !keepsViews(scope)) return c.notFound();
  const data = await sentForm(c);
  const { searchParams } = new URL(c.req.url);
  const back = withQuery(encodeURI(viewsPath(entity)), searchParams, {});
  const id = recordId(sentText(data, "view"));
  if (["start", "end start"].includes(sentText(data, "do"))) {
    const view = (await viewsOf(scope, entity)).find((each) => each.id === id);
    if (!view) return c.notFound();
    const isStart = sentText(data, "do") === "start";
    await keepStartPage(scope, isStart ? addressOf(entity, view) : undefined);
    return c.redirect(back, 303);
  }
  if (sentText(data, "do") === "drop") {
    if (id === undefined || !(await dropView(scope, entity, id))) return c.notFound();
    return c.redirect(back, 303);
  }
  const name = text({ label: "", max: 60 }).read([sentText(data, "name")], scope);
  if ("error" in name) return showViews(c, scope, entity, new Map([["name", name.error]]));
  const asked = sentText(data, "group");
  const isKnown = (await groupsFor(scope)).some(([group]) => group === asked);
  if (asked !== "" && !isKnown) return c.notFound();
  const query = queryOf(searchParams);
  const isReport = searchParams.get("layout") === "report";
  const isKept =
    query.length <= longestQuery &&
    (await keepView(scope, entity, {
      name: name.value,
      query,
      group_name: asked || null,
      in_menu: sentText(data, "menu") === "yes",
      // It is sent from the next month on.
      monthly: isReport && sentText(data, "monthly") === "yes" ? scope.now.slice(0, 7) : null,
    }));
  if (!isKept) return showViews(c, scope, entity, new Map([["", messages.tooManyViews]]));
  return c.redirect(withQuery(encodeURI(entity.path), searchParams, firstPage), 303);
}

function addressOf({ path }: Entity, { query }: Pick<KeptView, "query">): string {
  return withQuery(encodeURI(path), new URLSearchParams(query), {});
}

/** The views of a list as links, of the model and kept ones, of which the one that is shown is marked, and the way to keep another. */
export function Views({
  scope,
  entity,
  views,
  named,
  query,
}: {
  scope: Scope;
  entity: Entity;
  views: readonly KeptView[];
  named: readonly NamedView[];
  query: URLSearchParams;
}) {
  const { messages } = scope;
  const now = queryOf(query);
  const all = [
    ...named
      .filter((view) => scope.isFor(view.for))
      .map(({ name, query }) => ({ name: scope.translated(name), query })),
    ...views,
  ];
  if (all.length === 0 && !mayArrange(scope)) return null;
  return (
    <nav class="views" aria-label={messages.views}>
      {all.map((view) => (
        <a
          href={addressOf(entity, view)}
          aria-current={new URLSearchParams(view.query).toString() === now ? "true" : undefined}
        >
          {view.name}
        </a>
      ))}
      {keepsViews(scope) && (
        <a class="soft" href={withQuery(encodeURI(viewsPath(entity)), query, firstPage)}>
          {messages.keepView}
        </a>
      )}
      {mayArrange(scope) && (
        <a class="soft" href={addAddress(entity, query)}>
          {messages.dashboard.addThis}
        </a>
      )}
    </nav>
  );
}
