import { rmSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import {
  mariadbCluster,
  mariadbPair,
  type OwnServer,
  type Pair,
  postgresPair,
  until,
} from "../support/clusters.ts";
import { type LoadResult, mixedLoad } from "../support/load.ts";
import { freePort, levadura, projectWith, type Running, running } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const model = (database: string) => `levadura: 1
app: {name: Hive Book, database: ${database}}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      keepers: many Keeper
  Keeper: {title: "{name}", fields: {name: "text, required"}}
`;

/** Several processes of the application of a project, each with its environment. */
async function started(folder: string, environments: Record<string, string>[]) {
  const [first = {}] = environments;
  for (const args of [["prepare"], ["migrate"], ["build"]]) {
    expect(await levadura(args, folder, { env: first })).toMatchObject({ status: 0 });
  }
  const processes: Running[] = [];
  for (const each of environments) processes.push(await running(["serve"], folder, each));
  return processes;
}

/** The same load on several processes at once. */
async function loadOn(
  processes: readonly Running[],
  load: { prefix: string; milliseconds: number; keepers: string[] },
) {
  const results = await Promise.all(
    processes.map(({ address }, at) =>
      mixedLoad(address, { ...load, clients: 10, prefix: `${load.prefix}${at}` }),
    ),
  );
  const failed = (result: LoadResult) => [...result.unexpected.values()].reduce((a, b) => a + b, 0);
  return {
    requests: results.reduce((sum, { requests }) => sum + requests, 0),
    failed: results.reduce((sum, result) => sum + failed(result), 0),
    unexpected: results.map(({ unexpected }) => Object.fromEntries(unexpected)),
    saved: results.flatMap(({ saved }) => [...saved]).sort(),
  };
}

/** Two keepers, for the hives of a load. */
async function idsOf(server: OwnServer | undefined): Promise<string[]> {
  const rows = await server?.rows("hives", "select id from keeper order by id limit 2");
  return (rows ?? []).map(({ id }) => String(id));
}

const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

const withPeople = (database: string) => `levadura: 1
app: {name: Hive Book, database: ${database}}
users:
  groups: {bees: Bees, guests: Guests}
  rights: {bees: everything, guests: everything}
entities:
  Keeper: {title: "{name}", fields: {name: "text, required"}, seed: {fixed: [{name: Ida}]}}
`;

const pairs = [
  { database: "postgres", pair: () => postgresPair("alone") },
  { database: "mariadb", pair: mariadbPair },
];

describe.each(pairs)("an application over a $database primary and a replica", (kind) => {
  let servers: Pair;
  let folder: string;
  let application: Running;
  beforeAll(async () => {
    servers = await kind.pair();
    folder = projectWith(withPeople(kind.database), true);
    application = await running(["rise", "--port", await freePort()], folder, {
      DATABASE_URL: `${servers.address}/hives`,
      DATABASE_READ_URL: `${servers.replicaAddress}/hives`,
    });
  });
  afterAll(async () => {
    await application?.stop();
    await servers?.end();
    rmSync(folder, { recursive: true, force: true });
  });

  it("reads from the replica, and shows everybody what they saved at once", async () => {
    const { primary, replica, pause, resume } = servers;
    const bee = await Visitor.of(application.address, "bees");
    const guest = await Visitor.of(application.address, "guests");
    const shown = async (visitor: Visitor) => textOf((await visitor.get("/keepers")).html);
    await guest.submit("/keepers/new", { name: "Ana" });
    await until(async () => expect(await shown(bee)).toContain("Ana"));
    await replica.rows("hives", pause);
    await bee.submit("/keepers/new", { name: "Berta" });
    await primary.rows("hives", "update keeper set name = 'Annika' where name = 'Ana'");
    expect(await shown(bee)).toContain("Berta");
    // Nothing that this person saved is missing on the replica.
    expect(await shown(guest)).not.toContain("Berta");
    expect(await shown(guest)).not.toContain("Annika");
    await guest.submit("/keepers/new", { name: "Cyrus" });
    for (const name of ["Annika", "Berta", "Cyrus"]) expect(await shown(guest)).toContain(name);
    await replica.rows("hives", resume);
    await until(async () => expect(await shown(guest)).toContain("Berta"));
  });

  it("goes on without the replica, or with it as the primary", async () => {
    const visitor = await Visitor.of(application.address, "bees");
    // Some connections are open, to the server that is the primary so far.
    await Promise.all(Array.from({ length: 8 }, () => visitor.get("/keepers")));
    const { handOver } = servers;
    await (handOver ? handOver() : servers.replica.kill());
    for (const name of ["Di", "Eo"]) {
      expect((await visitor.submit("/keepers/new", { name })).status).toBe(200);
      expect((await visitor.get("/keepers")).html).toContain(name);
    }
    const now = handOver ? servers.replica : servers.primary;
    expect(
      await now.rows("hives", "select name from keeper where name in ('Di', 'Eo')"),
    ).toHaveLength(2);
  });
});

describe("two processes over a PostgreSQL primary and a replica", () => {
  let servers: Awaited<ReturnType<typeof postgresPair>>;
  let folder: string;
  let processes: Running[];
  beforeAll(async () => {
    servers = await postgresPair("when the replica confirms");
    folder = projectWith(model("postgres"), true);
    const { address, replica } = servers;
    const DATABASE_READ_URL = `postgres://postgres@127.0.0.1:${replica.port}/hives`;
    const environment = { DATABASE_URL: `${address}/hives`, DATABASE_READ_URL };
    processes = await started(folder, [environment, environment]);
  });
  afterAll(async () => {
    for (const process of processes ?? []) await process.stop();
    await servers?.end();
    rmSync(folder, { recursive: true, force: true });
  });

  it("lose nothing when the primary is killed and the replica takes its place", async () => {
    const { primary, replica, promote } = servers;
    const first = new Visitor(processes[0]?.address ?? "");
    for (const name of ["Ana", "Bo"]) await first.submit("/keepers/new", { name });
    const keepers = await idsOf(primary);
    const load = loadOn(processes, { prefix: "D", milliseconds: 14_000, keepers });
    await pause(4000);
    await primary.kill();
    await pause(500);
    await promote();
    const during = await load;
    const after = await loadOn(processes, { prefix: "A", milliseconds: 3000, keepers });
    expect(during.failed / during.requests).toBeLessThan(0.01);
    expect(after.failed).toBe(0);
    const env = { DATABASE_URL: `${servers.address}/hives` };
    expect(await levadura(["changes", "--check"], folder, { env })).toMatchObject({ status: 0 });
    const rows = await replica.rows("hives", "select code from hive");
    const codes = rows.map(({ code }) => code).sort();
    expect(codes).toEqual([...during.saved, ...after.saved].sort());
  });
});

describe("two processes over a MariaDB cluster of three", () => {
  let cluster: Awaited<ReturnType<typeof mariadbCluster>>;
  let folder: string;
  let processes: Running[];
  beforeAll(async () => {
    cluster = await mariadbCluster();
    folder = projectWith(model("mariadb"), true);
    // Each writes to another server, and the second one reads from the third.
    const from = (first: number) => `${cluster.addressFrom(first)}/hives`;
    const environments: Record<string, string>[] = [
      { DATABASE_URL: from(0) },
      { DATABASE_URL: from(1), DATABASE_READ_URL: from(2) },
    ];
    processes = await started(folder, environments);
  });
  afterAll(async () => {
    for (const process of processes ?? []) await process.stop();
    await cluster?.end();
    rmSync(folder, { recursive: true, force: true });
  });

  it("see what the other saved, and try again what met a change on another server", async () => {
    const people = processes.map(({ address }) => new Visitor(address));
    const [one, two] = people as [Visitor, Visitor];
    for (const name of ["Ana", "Bo"]) await one.submit("/keepers/new", { name });
    for (let turn = 0; turn < 20; turn++) {
      await one.submit("/hives/new", { code: `S-${turn}` });
      expect((await two.get("/hives?search=S-")).html).toContain(`S-${turn}<`);
    }
    const [{ id } = {}] = (await cluster.servers[0]?.rows("hives", "select id from hive")) ?? [];
    const statuses = new Set<number>();
    const both = people.map(async (person, at) => {
      for (let turn = 0; turn < 40; turn++) {
        statuses.add(
          (await person.submit(`/hives/${id}/edit`, { code: `M-${at}-${turn}` })).status,
        );
      }
    });
    await Promise.all(both);
    expect([...statuses].filter((status) => status !== 200 && status !== 409)).toEqual([]);
    const met = await Promise.all(
      cluster.servers.map(async (server) => {
        const rows = await server.rows(
          "",
          "show global status where variable_name in ('wsrep_local_cert_failures', 'wsrep_local_bf_aborts')",
        );
        return rows.reduce((sum, { Value }) => sum + Number(Value), 0);
      }),
    );
    expect(met.reduce((a, b) => a + b, 0)).toBeGreaterThan(0);
  });

  it("lose nothing when a server is killed and comes back", async () => {
    const before = await cluster.servers[1]?.rows("hives", "select code from hive");
    const keepers = await idsOf(cluster.servers[1]);
    const load = loadOn(processes, { prefix: "D", milliseconds: 20_000, keepers });
    await pause(4000);
    await cluster.servers[0]?.kill();
    await pause(5000);
    await cluster.restart(0);
    const during = await load;
    const after = await loadOn(processes, { prefix: "A", milliseconds: 3000, keepers });
    expect(during.failed / during.requests).toBeLessThan(0.01);
    expect(after.failed).toBe(0);
    const wanted = [
      ...(before ?? []).map(({ code }) => code),
      ...during.saved,
      ...after.saved,
    ].sort();
    for (const server of cluster.servers) {
      const rows = await server.rows("hives", "select code from hive");
      expect(rows.map(({ code }) => code).sort()).toEqual(wanted);
    }
  });
});
