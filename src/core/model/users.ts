import { nearest } from "../naming/nearest.ts";
import { labelOf } from "../naming/words.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { checkShape, inOneForm, mapOf, uniqueEntries, valueAt } from "./mappings.ts";
import { type Action, actions, type Entity, type Rights, type Users } from "./model.ts";
import { usersShape } from "./shapes.ts";
import type { SourceEntry, SourceNode, SourceScalar } from "./source.ts";

/** The groups that every application has: everybody who is signed in, and everybody who isn't. */
export const givenGroups = ["everyone", "visitors"] as const;

/** The group whose members may do everything, and manage the others. */
export const administrators = "administrators";

/** Reads `users`: the groups, and what they may do where an entity says nothing. */
export function interpretUsers({ key, value }: SourceEntry, diagnostics: Diagnostics): Users {
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
  const rights = valueAt(body, "rights");
  if (rights) users.rights = interpretRights(rights, users, diagnostics);
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
  const rights: Record<string, readonly Action[]> = {};
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
    } else if (value?.kind === "scalar") {
      rights[group] = actionsOf(value, diagnostics);
    } else {
      const at = value?.at ?? key.at;
      diagnostics.error(at, `what may \`${group}\` do?`, `write ${examples}`);
    }
  }
  return rights;
}

const examples = "`see, add, change, delete`, `everything` or `nothing`";

function actionsOf({ text, at }: SourceScalar, diagnostics: Diagnostics): readonly Action[] {
  const words = text.split(",").map((word) => word.trim());
  if (words.length === 1 && words[0] === "everything") return actions;
  if (words.length === 1 && words[0] === "nothing") return [];
  const unknown = words.find((word) => !actions.includes(word as Action));
  if (unknown !== undefined) {
    const close = nearest(unknown, actions);
    diagnostics.error(
      at,
      unknown === "" ? "a word is missing between commas" : `there is no right \`${unknown}\``,
      close ? `did you mean \`${close}\`?` : `write ${examples}`,
    );
  }
  const said = new Set(words);
  // What somebody changes or deletes, they see.
  if (said.has("change") || said.has("delete")) said.add("see");
  return actions.filter((action) => said.has(action));
}

/** What each group may do with the records of an entity: as it says, or as is said for all. */
export function rightsOf(users: Users, { rights }: Entity): Rights {
  return rights ?? users.rights;
}

/** Notes entities that nobody but administrators may see. */
export function noteUnseen(users: Users, entities: readonly Entity[], diagnostics: Diagnostics) {
  for (const entity of entities) {
    if (Object.values(rightsOf(users, entity)).some((may) => may.length > 0)) continue;
    diagnostics.note(
      entity.at,
      `only administrators may see \`${entity.name}\``,
      "give it `rights`, such as `rights: {everyone: see}`, or `users` for all entities",
    );
  }
}
