import { nearest } from "../naming/nearest.ts";
import { labelOf } from "../naming/words.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { checkShape, inOneForm, mapOf, uniqueEntries, valueAt } from "./mappings.ts";
import { type Action, actions, type Entity, type Grant, type Rights, type Users } from "./model.ts";
import { usersShape } from "./shapes.ts";
import type { SourceEntry, SourceNode, SourceScalar } from "./source.ts";

/** The groups that every application has: everybody who is signed in, and everybody who isn't. */
export const givenGroups = ["everyone", "visitors"] as const;

/** The group whose members may do everything, and manage the others. */
export const administrators = "administrators";

/** Reads `users`: the groups, and what they may do where an entity says nothing. */
export function interpretUsers(
  { key, value }: SourceEntry,
  entities: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Users {
  const users: Users = { groups: [], rights: {}, at: key.at };
  const body = value && mapOf(value, "`users`", diagnostics);
  if (!body) return users;
  checkShape(usersShape, body, diagnostics);
  const groups = valueAt(body, "groups");
  const named = groups && mapOf(groups, "`groups`", diagnostics);
  for (const entry of uniqueEntries(named, "group", diagnostics)) {
    const name = inOneForm(entry.key.text);
    if (!isGroupName(name, entry.key.at, diagnostics)) continue;
    const label = entry.value?.kind === "scalar" ? entry.value.text.trim() : "";
    if (entry.value && entry.value.kind !== "scalar") {
      diagnostics.error(entry.value.at, "a text was expected here", "write `office: Office`");
    }
    users.groups.push({ name, label: label || labelOf(name) });
  }
  const record = valueAt(body, "record");
  if (record?.kind === "scalar") {
    const entity = inOneForm(record.text);
    if (entities.has(entity)) users.record = entity;
    else {
      const close = nearest(entity, entities);
      const help = close ? `did you mean \`${close}\`?` : "declare it under `entities`";
      diagnostics.error(record.at, `there is no entity \`${entity}\``, help);
    }
  }
  const rights = valueAt(body, "rights");
  if (rights) users.rights = interpretRights(rights, users, diagnostics);
  for (const { where } of Object.values(users.rights).flat()) {
    if (!where) continue;
    const help = "write it into the `rights` of each entity whose fields it names";
    diagnostics.error(
      where.at,
      "a condition is for one entity, and these rights are for all",
      help,
    );
  }
  return users;
}

function isGroupName(name: string, at: Span, diagnostics: Diagnostics): boolean {
  if ([administrators, ...givenGroups].includes(name)) {
    diagnostics.error(at, `every application has the group \`${name}\``, "take the line out");
    return false;
  }
  if (/^\p{Ll}[\p{L}\p{M}\p{N}_]{0,39}$/u.test(name)) return true;
  diagnostics.error(
    at,
    `\`${name}\` can't be the name of a group`,
    "a name begins with a small letter, and has up to 40 letters, digits and `_`",
  );
  return false;
}

/** Reads `rights` of an entity, or those of all: what each group may do. */
export function interpretRights(
  node: SourceNode,
  { groups }: Users,
  diagnostics: Diagnostics,
): Rights {
  const rights: Record<string, readonly Grant[]> = {};
  const known = [...givenGroups, ...groups.map(({ name }) => name)];
  const body = mapOf(node, "`rights`", diagnostics);
  for (const { key, value } of uniqueEntries(body, "group", diagnostics)) {
    const group = inOneForm(key.text);
    if (group === administrators) {
      diagnostics.error(key.at, "administrators may do everything", "take the line out");
    } else if (!known.includes(group)) {
      const close = nearest(group, known);
      diagnostics.error(
        key.at,
        `there is no group \`${group}\``,
        close ? `did you mean \`${close}\`?` : "declare it under `users`, `groups`",
      );
    } else {
      const lines = value?.kind === "list" ? value.items : value ? [value] : [];
      const grants = lines.flatMap((line) =>
        line.kind === "scalar" ? [grantOf(line, diagnostics)] : [],
      );
      if (grants.length < lines.length || lines.length === 0) {
        const at = value?.at ?? key.at;
        diagnostics.error(at, `what may \`${group}\` do?`, `write ${examples}`);
      }
      rights[group] = grants;
    }
  }
  return rights;
}

const examples =
  "`see, add, change, delete, history`, `everything` or `nothing`, or such as `change where keepers includes me`";

/** Reads `see, change where keepers includes me`. */
function grantOf({ text, at, origin }: SourceScalar, diagnostics: Diagnostics): Grant {
  const [, said = text, between = "", formula] = /^(.*?)(\s+where\s+)(.*)$/s.exec(text) ?? [];
  const may = actionsOf(said, at, diagnostics);
  if (formula === undefined) return { may };
  const start = origin === undefined ? undefined : origin + said.length + between.length;
  const place = start === undefined ? at : { start, end: start + formula.length };
  const where = {
    formula: `=${formula.replace(/^=/, " ")}`,
    ...(start !== undefined && { origin: start - 1 }),
    at: place,
  };
  return { may, where };
}

function actionsOf(text: string, at: Span, diagnostics: Diagnostics): readonly Action[] {
  const words = text.split(",").map((word) => word.trim());
  if (words.length === 1 && words[0] === "everything") return actions;
  if (words.length === 1 && words[0] === "nothing") return [];
  const unknown = words.find((word) => !actions.includes(word as Action));
  if (unknown !== undefined) {
    const close = nearest(unknown, actions);
    diagnostics.error(
      at,
      unknown === "" ? "a word is missing here" : `there is no right \`${unknown}\``,
      close ? `did you mean \`${close}\`?` : `write ${examples}`,
    );
  }
  const said = new Set(words);
  // Of what somebody changes, deletes or has the history, they see what it is.
  if (["change", "delete", "history"].some((word) => said.has(word))) said.add("see");
  return actions.filter((action) => said.has(action));
}

/** What each group may do with the records of an entity: as it says, or as is said for all. */
export function rightsOf(users: Users, { rights }: Entity): Rights {
  return rights ?? users.rights;
}

/** Notes entities that nobody but administrators may see. */
export function noteUnseen(users: Users, entities: readonly Entity[], diagnostics: Diagnostics) {
  for (const entity of entities) {
    if (
      Object.values(rightsOf(users, entity)).some((grants) =>
        grants.some(({ may }) => may.length > 0),
      )
    )
      continue;
    diagnostics.note(
      entity.at,
      `only administrators may see \`${entity.name}\``,
      "give it `rights`, such as `rights: {everyone: see}`, or `users` for all entities",
    );
  }
}
