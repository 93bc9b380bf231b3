import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { text } from "../fields/text.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { ownGroupsPath, rightsPath } from "./addresses.ts";
import { keepGroup, membersIn, type OwnGroup, ownGroups, removeGroup } from "./own-groups.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";

/** Groups that administrators make besides those of the model, give another name, and take away. */
export const makingGroups: Feature = {
  routes: [
    {
      method: "GET",
      path: ownGroupsPath,
      needs: "administrator",
      answer: (c, scope) => show(c, scope, new Map()),
    },
    { method: "POST", path: ownGroupsPath, needs: "administrator", answer: sent },
  ],
};

async function sent(c: Context, scope: Scope) {
  if (scope.access?.rightsAre !== "start") return c.notFound();
  const { messages } = scope;
  const data = await sentForm(c);
  const asked = sentText(data, "group");
  const group = (await ownGroups(scope)).find(({ name }) => name === asked);
  if (asked !== "" && !group) return c.notFound();
  if (group && sentText(data, "do") === "remove") {
    if (sentText(data, "sure") !== "yes") return confirmPage(c, scope, group);
    await removeGroup(scope, group);
    await noteEvent(scope, "rights", { group: group.label, changes: ["removed"] });
    return c.redirect(ownGroupsPath, 303);
  }
  const input = `label${group?.id ?? ""}`;
  const read = text({ label: "", max: 60 }).read([sentText(data, input)], scope);
  if ("error" in read) return show(c, scope, new Map([[input, read.error]]), 422);
  const name = await keepGroup(scope, read.value, group?.id);
  if (name === undefined) return show(c, scope, new Map([[input, messages.groupTaken]]), 422);
  const did = group ? `${group.label} → ${read.value}` : "made";
  await noteEvent(scope, "rights", { group: read.value, changes: [did] });
  if (group) return c.redirect(ownGroupsPath, 303);
  return c.redirect(`${rightsPath}?${new URLSearchParams({ group: name })}`, 303);
}

async function show(c: Context, scope: Scope, errors: Errors, status = 200) {
  if (scope.access?.rightsAre !== "start") return c.notFound();
  const { messages } = scope;
  const groups = await ownGroups(scope);
  const page = (
    <>
      <Trail scope={scope} to={rightsPath} label={messages.rights} />
      <h1>{messages.ownGroups}</h1>
      <FormProblem errors={errors} />
      <p>{messages.ownGroupsHelp}</p>
      {groups.map(({ id, name, label }) => (
        <form method="post" class="sheet narrow-form">
          <input type="hidden" name="group" value={name} />
          <PlainInput name={`label${id}`} label={messages.name} value={label} errors={errors} />
          <div class="buttons">
            <button class="btn btn-outline-primary" type="submit" name="do" value="save">
              {messages.save}
            </button>
            <button class="btn btn-outline-danger" type="submit" name="do" value="remove">
              {messages.delete}
            </button>
          </div>
        </form>
      ))}
      <form method="post" class="sheet narrow-form">
        <h2>{messages.newGroup}</h2>
        <PlainInput name="label" label={messages.name} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.actions.add}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.ownGroups, status });
}

async function confirmPage(c: Context, scope: Scope, group: OwnGroup) {
  const { messages } = scope;
  const page = (
    <>
      <Trail scope={scope} to={ownGroupsPath} label={messages.ownGroups} />
      <h1>{messages.deleteGroup(group.label)}</h1>
      <p>{messages.deleteGroupHelp(await membersIn(scope, group))}</p>
      <form method="post" action={ownGroupsPath} class="buttons">
        <input type="hidden" name="group" value={group.name} />
        <input type="hidden" name="sure" value="yes" />
        <button class="btn btn-danger" type="submit" name="do" value="remove">
          {messages.delete}
        </button>
        <a class="btn btn-outline-secondary" href={ownGroupsPath}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.deleteGroup(group.label) });
}
