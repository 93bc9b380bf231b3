import type { Context } from "hono";
import type { Entity } from "../entity/entity.ts";
import type { Feature } from "../features/feature.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { WideTable } from "../ui/wide-table.tsx";
import type { Access } from "./access.ts";
import { accountTables } from "./account-tables.ts";
import { type Action, actions } from "./action.ts";
import { ownGroupsPath, peoplePath, rightsPath } from "./addresses.ts";
import { rightKey } from "./changed-rights.ts";
import { keepRights } from "./kept-rights.ts";
import { allGroups, isOwnGroup } from "./own-groups.ts";
import { administrators } from "./person.ts";
import type { Scope } from "./scope.ts";

/** What each group may do, for administrators to change as far as the model lets them. */
export const changingRights: Feature = {
  routes: [
    {
      method: "GET",
      path: rightsPath,
      needs: "administrator",
      answer: (c, scope) => (scope.access?.rightsAre ? show(c, scope) : c.notFound()),
    },
    { method: "POST", path: rightsPath, needs: "administrator", answer: sent },
  ],
};

/** The groups whose rights can be changed: those that people can be put into, and everybody. */
async function groupsIn(scope: Scope): Promise<[string, string][]> {
  const { messages } = scope;
  return [
    ["visitors", messages.visitors],
    ["everyone", messages.everyone],
    ...(await allGroups(scope)).filter(([name]) => name !== administrators),
  ];
}

/** What can be said of a right: nothing (it is as in the model), that it is for all records, or for none. */
function choicesFor({ rightsAre }: Access): readonly ("" | "all" | "none")[] {
  return rightsAre === "start" ? ["", "all", "none"] : ["", "none"];
}

async function sent(c: Context, scope: Scope) {
  const { access, entities, organisation, db } = scope;
  const data = await sentForm(c);
  const group = sentText(data, "group");
  const groups = await groupsIn(scope);
  if (!access?.rightsAre || !groups.some(([name]) => name === group)) return c.notFound();
  const offered: readonly string[] = choicesFor(access);
  const changes: string[] = [];
  for (const { table } of entities.all) {
    const given = new Map<Action, "all" | "none">();
    for (const action of actions) {
      const asked = sentText(data, `${table} ${action}`);
      const said = offered.includes(asked) ? asked : "";
      if (said !== "") given.set(action, said as "all" | "none");
      if ((scope.changed.get(rightKey(group, table, action)) ?? "") !== said) {
        changes.push(`${table} ${action} ${said || "model"}`);
      }
    }
    // Of what somebody changes, deletes, exports or has the history, they see what it is.
    if (
      ["change", "delete", "history", "export"].some((each) => given.get(each as Action) === "all")
    ) {
      given.set("see", "all");
    }
    await keepRights(accountTables(db), { group, table, given }, organisation);
  }
  if (changes.length > 0) {
    const [name, label] = groups.find(([each]) => each === group) ?? [group, group];
    await noteEvent(scope, "rights", { group: isOwnGroup(name) ? label : name, changes });
  }
  return c.redirect(`${rightsPath}?${new URLSearchParams({ group, done: "yes" })}`, 303);
}

async function show(c: Context, scope: Scope) {
  const { messages, access, entities } = scope;
  const query = new URL(c.req.url).searchParams;
  const groups = await groupsIn(scope);
  const group =
    groups.find(([name]) => name === query.get("group"))?.[0] ?? groups[2]?.[0] ?? "everyone";
  const page = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <div class="heading">
        <h1>{messages.rights}</h1>
        {access?.rightsAre === "start" && (
          <div class="actions">
            <a class="btn btn-outline-secondary" href={ownGroupsPath}>
              {messages.ownGroups}
            </a>
          </div>
        )}
      </div>
      {query.get("done") === "yes" && (
        <div class="alert alert-success" role="status">
          {messages.personDone.saved}
        </div>
      )}
      <p>{access?.rightsAre === "start" ? messages.rightsStart : messages.rightsCeiling}</p>
      <nav class="buttons mb-3" aria-label={messages.groups}>
        {groups.map(([name, label]) => (
          <a
            class={`btn ${name === group ? "btn-primary" : "btn-outline-secondary"}`}
            href={`${rightsPath}?${new URLSearchParams({ group: name })}`}
            aria-current={name === group ? "page" : undefined}
          >
            {label}
          </a>
        ))}
      </nav>
      <form method="post" action={rightsPath}>
        <input type="hidden" name="group" value={group} />
        <WideTable label={messages.rights}>
          <table class="table">
            <thead>
              <tr>
                <th scope="col">
                  <span class="visually-hidden">{messages.what}</span>
                </th>
                {actions.map((action) => (
                  <th scope="col">{messages.actions[action]}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {entities.all.map((entity) => (
                <EntityRights scope={scope} entity={entity} group={group} />
              ))}
            </tbody>
          </table>
        </WideTable>
        <button class="btn btn-primary mt-3" type="submit">
          {messages.save}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.rights });
}

function EntityRights({ scope, entity, group }: { scope: Scope; entity: Entity; group: string }) {
  const { messages, access, changed } = scope;
  const { headings } = scope.namesOf(entity);
  const grants = access?.rights[entity.table]?.[group] ?? [];
  const words = { all: messages.forAll, none: messages.forNone };
  return (
    <tr>
      <th scope="row">{headings}</th>
      {actions.map((action) => {
        const own = grants.filter(({ may }) => may.includes(action));
        const model =
          own.length === 0
            ? messages.forNone
            : own.some(({ where }) => !where)
              ? messages.forAll
              : messages.forSome;
        const now = changed.get(rightKey(group, entity.table, action)) ?? "";
        return (
          <td>
            <select
              class="form-select form-select-sm"
              name={`${entity.table} ${action}`}
              aria-label={`${headings}, ${messages.actions[action]}`}
            >
              {access &&
                choicesFor(access).map((choice) => (
                  <option value={choice} selected={choice === now}>
                    {choice === "" ? messages.asModel(model) : words[choice]}
                  </option>
                ))}
            </select>
          </td>
        );
      })}
    </tr>
  );
}
