import { Failure } from "../../core/failure.ts";
import { countIn, inUseFirst, type LateKeys, type LoadPlace } from "./load-place.ts";
import type {
  KeyedTable,
  LoadConflict,
  LoadCounts,
  Loader,
  LoadSettings,
  LoadTarget,
} from "./loading.ts";
import { stageLate, stageRows, strangers } from "./staging.ts";

/** A table whose rows were staged, and what is known about them. */
interface Taken {
  target: LoadTarget;
  /** The temporary table of its rows; undefined where all of them were new to an empty table. */
  staged: string | undefined;
  added: number;
  late: LateKeys;
}

/** Whether nobody changed a row since a load wrote it. */
export function untouched(alias: string): string {
  return `(${alias}.updated_at in (select loaded_at from levadura_loads) and (${alias}.version = 1 or ${alias}.updated_at <> ${alias}.created_at))`;
}

/** Loads rows by way of temporary tables, in which they are compared with those that are there. */
export function stagedLoader(place: LoadPlace, settings: LoadSettings): Loader {
  const taken: Taken[] = [];
  let settled = false;
  return {
    take: async (target, batches) => {
      const number = taken.length;
      const late = await stageLate(place, target, number);
      const table = place.quoted(target.table);
      const filled = (await place.rows(`select 1 as one from ${table} limit 1`)).length > 0;
      if (!filled && place.fill) {
        const added = await place.fill(target, late, batches);
        taken.push({ target, staged: undefined, added, late });
        return;
      }
      const staged = `levadura_incoming_${number}`;
      await stageRows(place, target, staged, late, batches);
      await match(place, target, staged, settings);
      taken.push({ target, staged, added: 0, late });
    },
    missing: async () => {
      for (const each of taken) await settle(place, each, settings);
      settled = true;
      const found = new Map<string, { query: string; count: number }>();
      for (const { target, staged } of taken) {
        if (!target.whole || !staged) continue;
        const query = missingRows(place, target, taken);
        found.set(target.table, { query, count: await countIn(place, `(${query}) missing_rows`) });
      }
      return found;
    },
    finish: async () => {
      for (const each of settled ? [] : taken) await settle(place, each, settings);
      const counts: LoadCounts[] = [];
      for (const each of taken) {
        counts.push(await countsOf(place, each));
        for (const table of [...each.late.columns.values(), ...each.late.links])
          await place.drop(table);
        if (each.staged) await place.drop(each.staged);
      }
      return counts;
    },
  };
}

/** Finds for each staged row the one that is there, and what is to be done with it; then does it. */
async function match(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  { moment }: LoadSettings,
): Promise<void> {
  const table = place.quoted(target.table);
  const compared = target.columns.flatMap(({ name, reference }, at) =>
    reference?.late ? [] : [{ name: place.quoted(name), at }],
  );
  if (target.key.length === 0) await matchWhole(place, target, staged, compared);
  else {
    const keys = target.key.map((at) => {
      const { name = "", reference } = target.columns[at] ?? {};
      return reference
        ? `t.${place.quoted(name)} = ${staged}.c${at}`
        : place.hasKey("t", { table: target.table, key: name }, `${staged}.c${at}`);
    });
    const equal =
      compared.map(({ name, at }) => place.same(`t.${name}`, `${staged}.c${at}`)).join(" and ") ||
      "1 = 1";
    await refuseRepeats(place, target, staged);
    await place.run(
      `update ${staged} set id = (select t.id from ${table} t where ${keys.join(" and ")}${inUseFirst(place, "t", target)})`,
    );
    await place.run(
      `update ${staged} set state = (select case when ${equal} then 'same' when ${untouched("t")} then 'changed' else 'conflict' end from ${table} t where t.id = ${staged}.id) where id is not null`,
    );
  }
  const highest = await place.highest(target.table);
  await place.run(`update ${staged} set state = 'new', id = n + ${highest} where id is null`);
  const now = place.moment(moment);
  const names = target.columns.map(({ name }) => place.quoted(name));
  const values = target.columns.map((_, at) => `c${at}`);
  await place.run(
    `insert into ${table} (${["id", ...names, "created_at", "updated_at"].join(", ")}) select ${["id", ...values, now, now].join(", ")} from ${staged} where state = 'new' order by n`,
  );
  await place.goOn(target.table);
  if (compared.length === 0) return;
  await place.updateFrom(
    target.table,
    staged,
    [
      ...compared.map(({ name, at }) => [name, `i.c${at}`] as const),
      ["version", "t.version + 1"],
      ["updated_at", now],
    ],
    "i.state = 'changed'",
  );
}

async function refuseRepeats(
  place: LoadPlace,
  { table, columns, key }: LoadTarget,
  staged: string,
): Promise<void> {
  const [found] = await place.rows<Record<string, unknown>>(
    `select ${key.map((at) => `min(c${at}) as v${at}`).join(", ")}, count(*) as count from ${staged} where ${key.map((at) => `c${at} is not null`).join(" and ")} group by ${key.map((at) => (columns[at]?.reference ? `c${at}` : place.caseless(`c${at}`))).join(", ")} having count(*) > 1 limit 1`,
  );
  if (!found) return;
  throw new Failure(
    "input",
    `the data for ${table} has the ${key.map((at) => `${columns[at]?.name} ${JSON.stringify(found[`v${at}`])}`).join(" and ")} ${Number(found.count)} times`,
    "no two rows may have the same: correct or remove all but one of them in the data",
  );
}

/** Without a key, a row is the same as one that is there when all of it is; each is matched once. */
async function matchWhole(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  compared: readonly { name: string; at: number }[],
): Promise<void> {
  const ranked = (content: string, order: string, from: string) =>
    `select ${order}, ${content} as content, row_number() over (partition by ${content} order by ${order}) as turn from ${from}`;
  const [held, found] = [`${staged}_held`, `${staged}_found`];
  const there = place.content(compared.map(({ name }) => `t.${name}`));
  const incoming = place.content(compared.map(({ at }) => `i.c${at}`));
  await place.aside(held, ranked(there, "t.id", `${place.quoted(target.table)} t`), [
    "content",
    "turn",
  ]);
  await place.aside(
    found,
    `select r.n, h.id from (${ranked(incoming, "i.n", `${staged} i`)}) r join ${held} h on h.content = r.content and h.turn = r.turn`,
    ["n"],
  );
  await place.run(
    `update ${staged} set id = (select f.id from ${found} f where f.n = ${staged}.n)`,
  );
  await place.run(`update ${staged} set state = 'same' where id is not null`);
  await place.drop(held);
  await place.drop(found);
}

/** Sets references and links to existing rows only now. */
async function settle(
  place: LoadPlace,
  { target, staged, late }: Taken,
  { moment }: LoadSettings,
): Promise<void> {
  const table = place.quoted(target.table);
  const now = place.moment(moment);
  const conflicting = `id in (select id from ${staged} where state = 'conflict')`;
  for (const name of staged ? [...late.columns.values(), ...late.links] : []) {
    await place.run(
      `update ${name} set id = (select i.id from ${staged} i where i.n = ${name}.id)`,
    );
    await place.run(`delete from ${name} where ${conflicting}`);
  }
  /** A row that was unchanged so far, but differs in a late reference, counts as changed. */
  const markChanged = async (keys: string, differs: string) => {
    await place.run(
      `update ${staged} set state = case when (select ${untouched("t")} from ${table} t where t.id = ${staged}.id) then 'changed late' else 'conflict' end
       where state = 'same' and exists (select 1 from ${table} t where t.id = ${staged}.id and (${differs}))`,
    );
    await place.run(
      `update ${table} set version = version + 1, updated_at = ${now} where id in (select id from ${staged} where state = 'changed late')`,
    );
    await place.run(`update ${staged} set state = 'changed' where state = 'changed late'`);
    await place.run(`delete from ${keys} where ${conflicting}`);
  };
  for (const [at, keys] of late.columns) {
    const { name, reference } = target.columns[at] ?? {};
    if (!name || !reference) continue;
    await refuseStrangers(place, target, keys, name, reference);
    const wanted = `(select r.id from ${keys} l join ${place.quoted(reference.table)} r on ${place.hasKey("r", reference, "l.key_text")} where l.id = t.id${inUseFirst(place, "r", reference)})`;
    const differs = `not ${place.same(`t.${place.quoted(name)}`, wanted)}`;
    if (staged) await markChanged(keys, differs);
    const within = staged
      ? `t.id in (select id from ${staged} where state <> 'conflict') and `
      : "";
    await place.run(
      `update ${table} as t set ${place.quoted(name)} = ${wanted} where ${within}${differs}`,
    );
  }
  for (const [at, { table: links, from, to, target: other }] of target.links.entries()) {
    const keys = late.links[at] ?? "";
    await refuseStrangers(place, target, keys, links, other);
    const [first, last] = place.insertMissing;
    const [owner, goal] = [place.quoted(from), place.quoted(to)];
    const meant = other.inUse
      ? `r.id = (select o.id from ${place.quoted(other.table)} o where ${place.hasKey("o", other, "l.key_text")}${inUseFirst(place, "o", other)})`
      : place.hasKey("r", other, "l.key_text");
    const led = `from ${keys} l join ${place.quoted(other.table)} r on ${meant}`;
    const wanted = `select r.id ${led} where l.id = t.id`;
    const there = `select ${goal} from ${place.quoted(links)} where ${owner} = t.id`;
    if (staged) {
      const differs = `exists (${there} except ${wanted}) or exists (${wanted} except ${there})`;
      await markChanged(keys, differs);
      await place.run(
        `delete from ${place.quoted(links)} where ${owner} in (select id from ${staged} where state = 'changed')`,
      );
    }
    await place.run(
      `${first} into ${place.quoted(links)} (${owner}, ${goal}) select l.id, r.id ${led}${last}`,
    );
  }
}

async function refuseStrangers(
  place: LoadPlace,
  target: LoadTarget,
  keys: string,
  column: string,
  other: KeyedTable,
): Promise<void> {
  const lost = await countIn(
    place,
    `${keys} l where not exists (select 1 from ${place.quoted(other.table)} r where ${place.hasKey("r", other, "l.key_text")})`,
  );
  if (lost > 0) throw strangers(target, column, other, lost);
}

/** The numbers of the rows that neither a file nor another source has, and nobody changed. */
function missingRows(place: LoadPlace, { table }: LoadTarget, taken: readonly Taken[]): string {
  const absent = taken.flatMap((other) =>
    other.target.table === table && other.staged
      ? [`t.id not in (select id from ${other.staged})`]
      : [],
  );
  return `select t.id as id from ${place.quoted(table)} t where ${absent.join(" and ")} and ${untouched("t")}`;
}

async function countsOf(place: LoadPlace, { target, staged, added }: Taken): Promise<LoadCounts> {
  if (!staged) {
    return {
      added,
      changed: 0,
      same: 0,
      missing: 0,
      conflicts: 0,
      firstConflicts: [],
    };
  }
  const found = await place.rows<{ state: string; count: number }>(
    `select state, count(*) as count from ${staged} group by state`,
  );
  const of = (state: string) => Number(found.find((each) => each.state === state)?.count ?? 0);
  const missing = await countIn(
    place,
    `${place.quoted(target.table)} t where t.id not in (select id from ${staged})`,
  );
  return {
    added: of("new"),
    changed: of("changed"),
    same: of("same"),
    conflicts: of("conflict"),
    missing,
    firstConflicts: await conflictsOf(place, target, staged),
  };
}

async function conflictsOf(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
): Promise<LoadConflict[]> {
  if (target.key.length === 0) return [];
  const both = target.columns.flatMap(({ name }, at) => [
    `t.${place.quoted(name)} as t${at}`,
    `i.c${at} as i${at}`,
  ]);
  const rows = await place.rows<Record<string, unknown>>(
    `select ${both.join(", ")} from ${staged} i join ${place.quoted(target.table)} t on t.id = i.id where i.state = 'conflict' order by i.n limit 5`,
  );
  return rows.flatMap((row) =>
    target.columns.flatMap(({ name, reference }, at): LoadConflict[] =>
      reference?.late || row[`t${at}`] === row[`i${at}`]
        ? []
        : [
            {
              key: target.key.map((place) => String(row[`t${place}`])).join(", "),
              column: name,
              stored: String(row[`t${at}`] ?? ""),
              incoming: String(row[`i${at}`] ?? ""),
            },
          ],
    ),
  );
}
