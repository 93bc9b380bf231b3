import { nearest } from "../../../kit/formula/nearest.ts";
import { labelOf, pluralOf } from "../naming/words.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { checkShape, inOneForm, mapOf, uniqueEntries, valueAt } from "./mappings.ts";
import { type Plan, planFeatures, type Users } from "./model.ts";
import { administrators, givenGroups, interpretRights } from "./rights.ts";
import { usersShape } from "./shapes.ts";
import type { SourceEntry, SourceMap } from "./source.ts";

/** Reads `users`: the groups, and what they may do where an entity says nothing. */
export function interpretUsers(
  { key, value }: SourceEntry,
  entities: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Users {
  const users: Users = { groups: [], newcomers: [], rights: {}, at: key.at };
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
  readSignUp(body, users, diagnostics);
  const are = valueAt(body, "rights are");
  if (are?.kind === "scalar") {
    const said = are.text.trim();
    if (said === "ceiling" || said === "start") users.rightsAre = said;
    else if (said !== "fixed") {
      const help = "write `fixed`, `ceiling` or `start`";
      diagnostics.error(are.at, `\`rights are\` can't be \`${said}\``, help);
    }
  }
  readOrganisations(body, users, diagnostics);
  readPlans(body, users, entities, diagnostics);
  const rights = valueAt(body, "rights");
  if (rights) users.rights = interpretRights(rights, users, undefined, diagnostics);
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

/** Reads how accounts come about: `sign up`, and `newcomers`, the groups of who does. */
function readSignUp(body: SourceMap, users: Users, diagnostics: Diagnostics): void {
  const signUp = valueAt(body, "sign up");
  if (signUp?.kind === "scalar") {
    const said = signUp.text.trim();
    if (said === "open" || said === "confirmed") users.signUp = said;
    else if (said !== "by invitation") {
      diagnostics.error(
        signUp.at,
        `\`sign up\` can't be \`${said}\``,
        "write `by invitation`, `open`, or `confirmed`: an administrator lets each person in",
      );
    }
  }
  const newcomers = valueAt(body, "newcomers");
  const named = newcomers?.kind === "list" ? newcomers.items : newcomers ? [newcomers] : [];
  const known = users.groups.map(({ name }) => name);
  for (const item of named) {
    const name = item.kind === "scalar" ? inOneForm(item.text) : "";
    if (known.includes(name)) {
      users.newcomers.push(name);
      continue;
    }
    const close = nearest(name, known);
    const help = close ? `did you mean \`${close}\`?` : "name a group that `groups` declares";
    const what =
      name === administrators
        ? "newcomers can't be administrators"
        : `there is no group \`${name}\``;
    diagnostics.error(item.at, what, help);
  }
}

/** Reads what organisations are called, and who may begin another one. */
function readOrganisations(body: SourceMap, users: Users, diagnostics: Diagnostics): void {
  const node = valueAt(body, "organisations");
  const open = valueAt(body, "new organisations");
  if (!node) {
    const help = "write what one is called, as in `organisations: Association`";
    if (open) diagnostics.error(open.at, "there are no `organisations` here", help);
    return;
  }
  const label = node.kind === "scalar" ? node.text.trim() : "";
  if (label === "" || label.length > 60) {
    const help = "write what one is called, as in `organisations: Association`";
    diagnostics.error(node.at, "this isn't a name for organisations", help);
    return;
  }
  users.organisations = { label, plural: pluralOf(label), plans: [] };
  const said = open?.kind === "scalar" ? open.text.trim() : undefined;
  if (said === "everyone") users.organisations.openTo = "everyone";
  else if (open && said !== administrators) {
    diagnostics.error(
      open.at,
      `\`new organisations\` can't be \`${said ?? ""}\``,
      "write `administrators` or `everyone`",
    );
  }
}

/** Reads `plans`: what organisations may have at most. */
function readPlans(
  body: SourceMap,
  { organisations }: Users,
  entities: ReadonlySet<string>,
  diagnostics: Diagnostics,
): void {
  const node = valueAt(body, "plans");
  if (!node) return;
  if (!organisations) {
    const help = "write what one is called, as in `organisations: Association`";
    diagnostics.error(node.at, "plans are for `organisations`, and there are none here", help);
    return;
  }
  for (const { key, value } of uniqueEntries(
    mapOf(node, "`plans`", diagnostics),
    "plan",
    diagnostics,
  )) {
    const name = inOneForm(key.text);
    if (!/^\p{Ll}[\p{L}\p{M}\p{N}_]{0,39}$/u.test(name)) {
      const help = "a name begins with a small letter, and has up to 40 letters, digits and `_`";
      diagnostics.error(key.at, `\`${name}\` can't be the name of a plan`, help);
      continue;
    }
    const limits = value && mapOf(value, `the plan \`${name}\``, diagnostics);
    organisations.plans.push(planOf(name, limits, entities, diagnostics));
  }
}

function planOf(
  name: string,
  limits: SourceMap | undefined,
  entities: ReadonlySet<string>,
  diagnostics: Diagnostics,
): Plan {
  const records = new Map<string, number>();
  const plan: Plan = { name, records, without: [] };
  for (const { key, value } of uniqueEntries(limits, "limit", diagnostics)) {
    const what = inOneForm(key.text);
    const text = value?.kind === "scalar" ? value.text.trim() : "";
    const at = value?.at ?? key.at;
    const feature = planFeatures.find((each) => each === what);
    if (feature) {
      if (text === "no" || text === "false") plan.without.push(feature);
      else if (text !== "yes" && text !== "true")
        diagnostics.error(at, `\`${feature}\` is yes or no`);
    } else if (what !== "people" && !entities.has(what)) {
      const close = nearest(what, [...entities, "people", ...planFeatures]);
      const help = close
        ? `did you mean \`${close}\`?`
        : "name an entity, `people`, `history` or `export`";
      diagnostics.error(key.at, `a plan can't limit \`${what}\``, help);
    } else if (!/^\d{1,9}$/.test(text)) {
      diagnostics.error(
        at,
        "a number was expected here",
        "write how many there may be, as in `Hive: 20`",
      );
    } else if (what === "people") plan.people = Number(text);
    else records.set(what, Number(text));
  }
  return plan;
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
