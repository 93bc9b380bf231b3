import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { typeOf } from "../../fields/types.ts";
import { toLocal, toUtc } from "../../formula/zones.ts";
import { asItWas, type Former } from "../../store/as-it-was.ts";
import { type LogLinks, linksIn } from "../../store/log-links.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { shownHeld } from "../../ui/log-table.tsx";
import { labelOfColumn } from "../../ui/value.tsx";
import { WideTable } from "../../ui/wide-table.tsx";

/** The list of an entity as it was at a moment, which the address says in the time zone of the person. */
export async function showFormer(c: Context, scope: Scope, entity: Entity) {
  const { messages, timezone } = scope;
  const asked = new URL(c.req.url).searchParams.get("at") ?? "";
  const isMoment =
    /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/.test(asked) && !Number.isNaN(Date.parse(`${asked}Z`));
  const local = isMoment ? asked : toLocal(timezone, scope.now);
  const at = toUtc(timezone, local);
  const former = await asItWas(scope, entity, at);
  const names = Object.keys(former.records[0]?.held ?? {});
  const links = await linksOf(scope, entity, former);
  const { headings } = scope.namesOf(entity);
  const content = (
    <>
      <Trail scope={scope} to={entity.path} label={headings} />
      <h1>{messages.asItWasTitle(headings)}</h1>
      <form method="get" class="filters">
        <div>
          <label class="form-label" for="at">
            {messages.moment}
          </label>
          <input
            class="form-control"
            id="at"
            type="datetime-local"
            name="at"
            value={local}
            required
          />
        </div>
        <button class="btn btn-primary" type="submit">
          {messages.show}
        </button>
      </form>
      {asked !== "" && !isMoment && (
        <p class="alert alert-danger" role="alert">
          {messages.chooseDateTime}
        </p>
      )}
      {former.isCut && <p class="alert alert-warning">{messages.asItWasCut}</p>}
      <Records scope={scope} entity={entity} former={former} names={names} links={links} />
    </>
  );
  const title = messages.asItWasTitle(headings);
  return showPage(c, scope, content, { title, status: asked !== "" && !isMoment ? 422 : 200 });
}

function linksOf(scope: Scope, entity: Entity, { records }: Former): Promise<LogLinks> {
  const entries = records.map(({ id, title, held }) => ({
    id: 0,
    made_at: "",
    account_name: null,
    address: "",
    action: "change",
    entity_table: entity.table,
    record_id: id,
    record_title: title,
    details: JSON.stringify(
      Object.fromEntries(Object.entries(held).map(([name, value]) => [name, [value, null]])),
    ),
  }));
  return linksIn(scope, entries);
}

function Records({
  scope,
  entity,
  former,
  names,
  links,
}: {
  scope: Scope;
  entity: Entity;
  former: Former;
  names: readonly string[];
  links: LogLinks;
}) {
  const { messages, format } = scope;
  const { one, many } = scope.namesOf(entity);
  if (former.records.length === 0) return <p class="empty">{messages.nothingThen}</p>;
  const isNumber = (name: string) => {
    const field = entity.fields[name];
    return field !== undefined && typeOf(field).numeric;
  };
  return (
    <>
      <p class="soft small">{format.count(former.records.length, one, many)}</p>
      <WideTable label={scope.namesOf(entity).headings}>
        <table class="table">
          <thead>
            <tr>
              {names.map((name) => (
                <th scope="col" class={isNumber(name) ? "text-end" : undefined}>
                  {labelOfColumn(scope, entity, name)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {former.records.map(({ held }) => (
              <tr>
                {names.map((name) => (
                  <td class={isNumber(name) ? "text-end" : undefined}>
                    {shownHeld(scope, entity, name, held[name] ?? null, links)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </WideTable>
    </>
  );
}
