import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { inOneForm, mapOf, uniqueEntries } from "./mappings.ts";
import {
  type Action,
  actions,
  type Entity,
  type Grant,
  isNeeded,
  type Rights,
  type Users,
} from "./model.ts";
import type { SourceNode, SourceScalar } from "./source.ts";

/** The groups that every application has: everybody who is signed in, and everybody who isn't. */
export const givenGroups = ["everyone", "visitors"] as const;

/** The group whose members may do everything, and manage the others. */
export const administrators = "administrators";

/** Reads `rights` of an entity, or those of all where it is none: what each group may do. */
export function interpretRights(
  node: SourceNode,
  { groups }: Users,
  entity: Entity | undefined,
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
      const said = lines.flatMap((line) => (line.kind === "scalar" ? [line] : []));
      if (said.length < lines.length || lines.length === 0) {
        const at = value?.at ?? key.at;
        diagnostics.error(at, `\`${group}\` has no rights here`, `write ${examples}`);
      }
      rights[group] = grantsOf(said, entity, diagnostics);
    }
  }
  return rights;
}

const examples =
  "`see, add, change, delete, history, export`, `everything` or `nothing`, or such as `change where keepers includes me`";

/** A line that takes fields out of the rights of its group: `hide price, notes`. */
const aboutFields = /^(hide|read only)(\s+)(.+)$/s;

/** The rights of a group. What it says of fields is so for each of them. */
function grantsOf(
  lines: readonly SourceScalar[],
  entity: Entity | undefined,
  diagnostics: Diagnostics,
): readonly Grant[] {
  const grants: Grant[] = [];
  const withheld = { hide: new Set<string>(), "read only": new Set<string>() };
  for (const line of lines) {
    const [, kind, , names] = aboutFields.exec(line.text) ?? [];
    if (kind === undefined || names === undefined) grants.push(grantOf(line, diagnostics));
    else if (!entity) {
      const help = "write it into the `rights` of the entity that has them";
      diagnostics.error(line.at, "these rights are for all entities, and fields are of one", help);
    } else {
      for (const name of fieldsOf(names, line.at, entity, diagnostics))
        withheld[kind as keyof typeof withheld].add(name);
    }
  }
  const hidden = [...withheld.hide];
  const readOnly = [...withheld["read only"]].filter((name) => !withheld.hide.has(name));
  return grants.map((grant) => ({
    ...grant,
    ...(hidden.length > 0 && { hidden }),
    ...(readOnly.length > 0 && { readOnly }),
  }));
}

function fieldsOf(text: string, at: Span, { name: of, fields }: Entity, diagnostics: Diagnostics) {
  const known = fields.map(({ name }) => name);
  return text.split(",").flatMap((word) => {
    const name = inOneForm(word.trim());
    if (known.includes(name)) return [name];
    const close = nearest(name, known);
    diagnostics.error(
      at,
      name === "" ? "the name of a field is missing here" : `${of} has no field \`${name}\``,
      close ? `did you mean \`${close}\`?` : `write such as \`hide ${known[0] ?? "notes"}\``,
    );
    return [];
  });
}

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
  // Of what somebody changes, deletes, exports or has the history, they see what it is.
  if (["change", "delete", "history", "export"].some((word) => said.has(word))) said.add("see");
  return actions.filter((action) => said.has(action));
}

/** What each group may do with the records of an entity: as it says, or as is said for all. */
export function rightsOf(users: Users, { rights }: Entity): Rights {
  return rights ?? users.rights;
}

/** Checks what the rights of an entity say together with its fields, and notes what may not be meant. */
export function checkRights(users: Users, entity: Entity, diagnostics: Diagnostics): void {
  const { name, at } = entity;
  const rights = Object.entries(rightsOf(users, entity));
  if (rights.every(([, grants]) => grants.every(({ may }) => may.length === 0))) {
    diagnostics.note(
      at,
      `only administrators may see \`${name}\``,
      "give it `rights`, such as `rights: {everyone: see}`, or `users` for all entities",
    );
  }
  for (const [group, grants] of rights) checkWithheld(entity, group, grants, diagnostics);
}

function checkWithheld(
  { name, at, title = [], fields, rights = {} }: Entity,
  group: string,
  grants: readonly Grant[],
  diagnostics: Diagnostics,
): void {
  const { hidden = [], readOnly = [] } = grants[0] ?? {};
  const inTitle = title.flatMap((part) => ("field" in part ? [part.field] : []));
  const titled = hidden.find((field) => inTitle.includes(field));
  if (titled !== undefined) {
    diagnostics.error(
      at,
      `\`${titled}\` is hidden from \`${group}\`, and the title of \`${name}\` shows it`,
      "give the entity a `title` without it: the title is seen wherever a record is referred to",
    );
  }
  const missing = fields.find(
    (field) => isNeeded(field) && !field.default && [...hidden, ...readOnly].includes(field.name),
  );
  if (missing && grants.some(({ may }) => may.includes("add"))) {
    diagnostics.error(
      missing.at,
      `\`${group}\` may add records of \`${name}\`, and may not fill in \`${missing.name}\`, which is required`,
      "give the field a `default`",
    );
  }
  const wider = group === "visitors" ? [] : group === "everyone" ? ["visitors"] : givenGroups;
  const otherwise = wider.find((other) =>
    (rights[other] ?? []).some(
      ({ may, hidden: theirs = [] }) =>
        may.includes("see") && hidden.some((field) => !theirs.includes(field)),
    ),
  );
  if (otherwise !== undefined) {
    diagnostics.note(
      at,
      `what is hidden from \`${group}\` is seen by \`${otherwise}\`, which they are in, too`,
      `hide it from \`${otherwise}\`, or give that group no right to see \`${name}\``,
    );
  }
}
