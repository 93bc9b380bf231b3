import { everyone, firstOrganisation } from "../../../kit/access/accounts.ts";
import { sampleAccount } from "../../../kit/access/sample-account.ts";
import { messagesFor } from "../../../kit/messages/messages.ts";
import type { Model, Users } from "../../core/model/model.ts";
import { administrators } from "../../core/model/rights.ts";
import { tableOf } from "../../core/schema/from-model.ts";
import type { Engine } from "../../io/engines/engine.ts";

/**
 * Makes a sample person of each group that has none yet, each of them a record that nobody is, and returns how many were
 * made. They have no password: only under `rise` one can sign in as them.
 */
export async function seedPeople(
  engine: Engine,
  { app, users }: Model,
  moment: string,
): Promise<number> {
  if (!users) return 0;
  const known = new Set(await engine.values("levadura_account", "email"));
  const groups = [
    ...users.groups.map(({ name, label }) => ({ group: name, label })),
    { group: administrators, label: messagesFor(app.language).administrators },
  ];
  const people = groups
    .map(({ group, label }) => ({ group, ...sampleAccount(group, label) }))
    .filter(({ email }) => !known.has(email));
  if (people.length === 0) return 0;
  const records = await freeRecords(engine, users, people.length);
  const first = (await engine.filler.highest("levadura_account")) + 1;
  await engine.filler.fill(
    { table: "levadura_account", columns: ["name", "email", "record_id", "made_at"], first },
    people.map(({ name, email }, at) => ({
      name,
      email,
      record_id: users.organisations ? null : (records[at] ?? null),
      made_at: moment,
    })),
  );
  const memberships = people.flatMap(({ group }, at) => {
    const member = { account_id: first + at, organisation_id: firstOrganisation };
    const inGroup = { ...member, group_name: group, record_id: null };
    // Where there are organisations, it is in them that people are records.
    return users.organisations
      ? [{ ...member, group_name: everyone, record_id: records[at] ?? null }, inGroup]
      : [inGroup];
  });
  await engine.filler.fill(
    {
      table: "levadura_membership",
      columns: ["account_id", "organisation_id", "group_name", "record_id"],
      first: (await engine.filler.highest("levadura_membership")) + 1,
    },
    memberships,
  );
  for (const table of ["levadura_account", "levadura_membership"]) await engine.filler.goOn(table);
  return people.length;
}

/** The first records that nobody is. */
async function freeRecords(engine: Engine, { record }: Users, count: number): Promise<number[]> {
  if (record === undefined) return [];
  const { quoted } = engine.dialect;
  const taken = ["levadura_account", "levadura_membership"].map(
    (table) => `select record_id from ${table} where record_id is not null`,
  );
  const free = `select id, id as value from ${quoted(tableOf(record))} where ${taken.map((each) => `id not in (${each})`).join(" and ")}`;
  return (await engine.sample(free, count)).map(({ id }) => Number(id));
}
