import type { Kysely } from "kysely";
import { insertUnlessThere } from "../database/current-dialect.ts";
import { atSecond } from "../formula/zones.ts";
import { logError } from "../store/log.ts";
import { type AccountTables, accountTables } from "./account-tables.ts";
import { membersOf } from "./accounts.ts";
import type { AnyTables } from "./scope.ts";

type Db = Kysely<AccountTables>;

/** For how many days it is known who used which pages. */
export const visitDays = 30;

/** Whether that is recorded: unless ACTIVITY is `no`. */
export function isActivityRecorded(): boolean {
  return process.env.ACTIVITY !== "no";
}

/** Visits that aren't in the database yet: they are written together, so that looking at a page writes nothing. */
const waiting = new Map<string, { day: string; account: number; page: string; count: number }>();
const mostWaiting = 1000;

/** Notes that somebody opened a page. */
export function noteVisit(db: Kysely<AnyTables>, account: number, page: string): void {
  if (!isActivityRecorded()) return;
  const day = atSecond(Date.now()).slice(0, 10);
  const key = `${day} ${account} ${page}`;
  const known = waiting.get(key);
  waiting.set(key, { day, account, page, count: (known?.count ?? 0) + 1 });
  if (waiting.size >= mostWaiting) {
    writeVisits(db).catch((error) => logError(error, "noting visits"));
  }
}

/** Writes the visits that wait, and forgets the oldest. */
export async function writeVisits<Tables>(database: Kysely<Tables>): Promise<void> {
  const db = accountTables(database as unknown as Kysely<AnyTables>);
  const visits = [...waiting.values()];
  waiting.clear();
  for (const { day, account, page, count } of visits) {
    const row = { day, account_id: String(account), page, count: "0" };
    await insertUnlessThere("levadura_visit", row).execute(db);
    await db
      .updateTable("levadura_visit")
      .set(({ eb }) => ({ count: eb("count", "+", count) }))
      .where("day", "=", day)
      .where("account_id", "=", account)
      .where("page", "=", page)
      .execute();
  }
  const oldest = firstDay();
  await db.deleteFrom("levadura_visit").where("day", "<", oldest).execute();
}

/** The first of the days that are known. */
function firstDay(): string {
  return atSecond(Date.now() - (visitDays - 1) * 86_400_000).slice(0, 10);
}

/** Visits summed up: by person, by page, and by day with how many people there were. */
export interface Activity {
  people: { id: number; name: string; count: number }[];
  pages: { page: string; count: number }[];
  days: { day: string; count: number; people: number }[];
}

const mostListed = 15;

export async function activityIn(db: Db, organisation: number | undefined): Promise<Activity> {
  const since = firstDay();
  const visits = db
    .selectFrom("levadura_visit as visit")
    .where("day", ">=", since)
    .$if(organisation !== undefined, (query) =>
      query.where("account_id", "in", membersOf(db, organisation ?? 0)),
    );
  const people = await visits
    .innerJoin("levadura_account as account", "account.id", "visit.account_id")
    .select(({ fn }) => ["account.id", "account.name", fn.sum("visit.count").as("total")])
    .groupBy(["account.id", "account.name"])
    .orderBy("total", "desc")
    .limit(mostListed)
    .execute();
  const pages = await visits
    .select(({ fn }) => ["page", fn.sum("count").as("total")])
    .groupBy("page")
    .orderBy("total", "desc")
    .limit(mostListed)
    .execute();
  const days = await visits
    .select(({ fn }) => [
      "day",
      fn.sum("count").as("total"),
      fn.count("account_id").distinct().as("people"),
    ])
    .groupBy("day")
    .execute();
  const known = new Map(days.map((each) => [each.day, each]));
  return {
    people: people.map(({ id, name, total }) => ({ id, name, count: Number(total) })),
    pages: pages.map(({ page, total }) => ({ page, count: Number(total) })),
    days: allDays(since).map((day) => ({
      day,
      count: Number(known.get(day)?.total ?? 0),
      people: Number(known.get(day)?.people ?? 0),
    })),
  };
}

function allDays(since: string): string[] {
  const first = Date.parse(`${since}T00:00:00Z`);
  return Array.from({ length: visitDays }, (_, at) =>
    atSecond(first + at * 86_400_000).slice(0, 10),
  );
}
