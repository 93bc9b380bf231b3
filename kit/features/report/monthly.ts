import type { Kysely, Selectable } from "kysely";
import { type AccountTables, accountTables } from "../../access/account-tables.ts";
import { type Account, accountOf, everyone } from "../../access/accounts.ts";
import type { ChangedRights } from "../../access/changed-rights.ts";
import { changedRights } from "../../access/kept-rights.ts";
import { writeTo } from "../../access/letters.ts";
import type { Person } from "../../access/person.ts";
import type { AnyTables, Scope } from "../../access/scope.ts";
import { personOfAccount } from "../../access/sessions.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { now } from "../../formula/clock.ts";
import { reportIn } from "../../formula/report.ts";
import { publicAddress } from "../../http/public-address.ts";
import { listRequest } from "../../store/list/request.ts";
import { logError } from "../../store/log.ts";
import { runReport } from "../../store/report/run.ts";
import { reportSheet } from "../export/report-lines.ts";
import { toldText } from "./figure-value.ts";

/** Makes the scope of a person. */
export type ScopeOf = (person: Person, address?: string, changed?: ChangedRights) => Scope;

/** The most lines of a report in a letter. */
const mostLines = 200;

/** The most reports that are sent at a time: the others have their turn a minute later. */
const mostAtOnce = 20;

/** A kept report that is sent by mail. */
type Due = Selectable<AccountTables["levadura_view"]>;

/** Sends the reports that are due this month, each person's with what that person sees. */
export async function sendMonthly<Tables>(
  database: Kysely<Tables>,
  scopeOf: ScopeOf,
): Promise<void> {
  const db = accountTables(database as unknown as Kysely<AnyTables>);
  const month = now().slice(0, 7);
  const due: Due[] = await db
    .selectFrom("levadura_view")
    .selectAll()
    .where("monthly", "<", month)
    .orderBy("id")
    .limit(mostAtOnce)
    .execute();
  for (const view of due) {
    // Another copy of the application may be sending it.
    const taken = await db
      .updateTable("levadura_view")
      .set({ monthly: month })
      .where("id", "=", view.id)
      .where("monthly", "=", view.monthly)
      .executeTakeFirst();
    if (taken.numUpdatedRows === 0n) continue;
    for (const reader of await readersOf(db, view)) {
      const sent = sendTo(db, scopeOf, view, reader);
      await sent.catch((error) => logError(error, `sending the report ${view.id}`));
    }
  }
}

/** Whoever kept a report, and those with whom it is shared. */
async function readersOf(
  db: ReturnType<typeof accountTables>,
  { account_id, group_name, organisation_id }: Due,
): Promise<number[]> {
  if (group_name === null) return [account_id];
  const members = await db
    .selectFrom("levadura_membership")
    .select("account_id")
    .distinct()
    .where("organisation_id", "=", organisation_id)
    .$if(group_name !== everyone, (some) => some.where("group_name", "=", group_name))
    .execute();
  return [...new Set([account_id, ...members.map((member) => member.account_id)])];
}

async function sendTo(
  db: ReturnType<typeof accountTables>,
  scopeOf: ScopeOf,
  view: Due,
  reader: number,
): Promise<void> {
  const account = await accountOf(db, reader, view.organisation_id);
  const scope = account && (await scopeOfReader(db, scopeOf, view, account));
  const entity = scope?.entities.ofTable(view.entity_table);
  if (!account || !scope || !entity || !scope.may("see", entity)) return;
  const text = await reportText(scope, entity, new URLSearchParams(view.query));
  if (text === undefined) return;
  await writeTo(scope, account, (letters, application) =>
    letters.monthly(application, view.name, text),
  );
}

async function scopeOfReader(
  db: ReturnType<typeof accountTables>,
  scopeOf: ScopeOf,
  { organisation_id }: Due,
  { id }: Account,
): Promise<Scope | undefined> {
  // Whoever may not sign in any more gets nothing.
  const nobody = scopeOf({ id, name: "" });
  const isOrganised = nobody.access?.organisations !== undefined;
  const person = await personOfAccount(db, id, isOrganised, organisation_id);
  if (!person || (isOrganised && person.organisation?.id !== organisation_id)) return undefined;
  return scopeOf(person, "", await changedRights(db, nobody.access, person.organisation?.id));
}

/** A report as lines of a letter, with where it is; undefined where the person sees none of it. */
async function reportText(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams,
): Promise<string | undefined> {
  const { result } = await runReport(scope, entity, listRequest(query), reportIn(query));
  if (!result || result.refused) return undefined;
  const { heading, lines } = reportSheet(scope, result);
  const width = Math.max(1, result.dimensions.length);
  const figures = heading.slice(width);
  const written = lines.slice(0, mostLines).map(({ cells, depth }) => {
    const told = cells.slice(width).flatMap((cell, at) => {
      const text = cell === null || typeof cell === "string" ? "" : toldText(scope, cell);
      if (text === "") return [];
      return figures.length > 1 ? [`${figures[at]} ${text}`] : [text];
    });
    return `${"  ".repeat(depth)}${cells[depth]}: ${told.join(", ")}`;
  });
  const more = lines.length > mostLines ? ["…"] : [];
  const address = publicAddress();
  const path = withQuery(encodeURI(entity.path), query, {});
  return [...written, ...more, ...(address ? ["", address.origin + path] : [])].join("\n");
}
