import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { once } from "node:events";
import { chmodSync, chownSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { freePort } from "./program.ts";
import { mariadb, postgres } from "./servers.ts";

/** A server that a test started, and can kill. */
export interface OwnServer {
  port: string;
  /** Ends it as a power cut does. */
  kill(): Promise<void>;
  /** The rows of a statement on a database of it. */
  rows(database: string, statement: string): Promise<Record<string, unknown>[]>;
}

/** A program as an account of the system: the servers refuse to run as root. */
function asAccount(account: string, file: string, args: string[]): [string, string[]] {
  return process.getuid?.() === 0
    ? ["runuser", ["-u", account, "--", file, ...args]]
    : [file, args];
}

function folderOf(account: string): string {
  const folder = mkdtempSync(join(tmpdir(), "levadura-servers-"));
  if (process.getuid?.() === 0) {
    const id = (which: string) =>
      Number(execFileSync("id", [which, account], { encoding: "utf8" }));
    chownSync(folder, id("-u"), id("-g"));
  }
  chmodSync(folder, 0o700);
  return folder;
}

/** Waits until something doesn't throw. */
export async function until(works: () => Promise<unknown>, seconds = 60): Promise<void> {
  for (const end = Date.now() + 1000 * seconds; ; ) {
    try {
      await works();
      return;
    } catch (error) {
      if (Date.now() > end) throw error;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }
}

async function killed(child: ChildProcess, file: string): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  // The child may be what changes the account; the server is below it.
  const gone = once(child, "exit");
  try {
    const below = execFileSync("pgrep", ["-P", String(child.pid), "-x", file], {
      encoding: "utf8",
    });
    for (const id of below.trim().split("\n")) process.kill(Number(id), "SIGKILL");
  } catch {
    child.kill("SIGKILL");
  }
  await gone;
}

/** A primary, and a replica that follows it. */
export interface Pair {
  primary: OwnServer;
  replica: OwnServer;
  /** What makes the replica stop following, and follow again. */
  pause: string;
  resume: string;
  /** The start of the addresses of their databases. */
  address: string;
  /** The same of the replica alone. */
  replicaAddress: string;
  /** Makes the replica the primary while that goes on as its replica, where that can be done. */
  handOver?(): Promise<void>;
  end(): Promise<void>;
}

/** A PostgreSQL primary, which keeps a change as told, and a replica; `promote` makes that the primary. */
export async function postgresPair(
  keeps: "alone" | "when the replica confirms",
): Promise<Pair & { promote(): Promise<unknown> }> {
  const bin = execFileSync("pg_config", ["--bindir"], { encoding: "utf8" }).trim();
  const folder = folderOf("postgres");
  const run = (name: string, args: string[]) =>
    execFileSync(...asAccount("postgres", join(bin, name), args), { stdio: "pipe" });
  const started = async (data: string, more: string[] = []): Promise<OwnServer> => {
    const port = await freePort();
    const settings = ["listen_addresses=127.0.0.1", `unix_socket_directories=${folder}`, ...more];
    const args = ["-D", data, "-p", port, ...settings.flatMap((each) => ["-c", each])];
    const child = spawn(...asAccount("postgres", join(bin, "postgres"), args), { stdio: "ignore" });
    const address = `postgres://postgres@127.0.0.1:${port}`;
    const rows = (database: string, statement: string) =>
      postgres.rowsIn(`${address}/${database}`, statement);
    await until(() => rows("postgres", "select 1"));
    return { port, rows, kill: () => killed(child, "postgres") };
  };
  const [first, second] = [join(folder, "first"), join(folder, "second")];
  const likeC = ["--locale=C.UTF-8", "--encoding=UTF8", "--auth=trust", "--no-sync"];
  run("initdb", ["-D", first, "-U", "postgres", ...likeC]);
  const primary = await started(first);
  const from = ["-h", "127.0.0.1", "-p", primary.port, "-U", "postgres"];
  run("pg_basebackup", ["-D", second, ...from, "-R", "-c", "fast", "--no-sync"]);
  const replica = await started(second);
  if (keeps === "when the replica confirms") {
    // Not for the replica: once it is the primary, nobody follows it.
    await primary.rows("postgres", "alter system set synchronous_standby_names = '*'");
    await primary.rows("postgres", "select pg_reload_conf()");
  }
  return {
    primary,
    replica,
    pause: "select pg_wal_replay_pause()",
    resume: "select pg_wal_replay_resume()",
    address: `postgres://postgres@127.0.0.1:${primary.port},127.0.0.1:${replica.port}`,
    replicaAddress: `postgres://postgres@127.0.0.1:${replica.port}`,
    promote: () => replica.rows("postgres", "select pg_promote(true, 30)"),
    end: async () => {
      await Promise.all([primary.kill(), replica.kill()]);
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** A folder for MariaDB servers, with the data of one that was just made. */
function mariadbFolder(): { folder: string; empty: string } {
  const folder = folderOf(mysql);
  const empty = join(folder, "empty");
  const args = ["--auth-root-authentication-method=normal", "--skip-test-db"];
  execFileSync("mariadb-install-db", [...asMysql, `--datadir=${empty}`, ...args], {
    stdio: "pipe",
  });
  return { folder, empty };
}

const mysql = "mysql";
const asMysql = process.getuid?.() === 0 ? [`--user=${mysql}`] : [];

/** Starts a MariaDB server over a folder of data. */
async function mariadbServer(data: string, settings: Record<string, string>): Promise<OwnServer> {
  const port = settings.port ?? (await freePort());
  const all = {
    datadir: data,
    socket: join(data, "socket"),
    "pid-file": join(data, "pid"),
    "log-error": `${data}.log`,
    "bind-address": "127.0.0.1",
    port,
    "binlog-format": "ROW",
    "innodb-buffer-pool-size": "64M",
    "innodb-log-file-size": "16M",
    "innodb-flush-log-at-trx-commit": "0",
    ...settings,
  };
  const args = Object.entries(all).map(([name, value]) =>
    value ? `--${name}=${value}` : `--${name}`,
  );
  const child = spawn("mariadbd", ["--no-defaults", ...asMysql, ...args], { stdio: "ignore" });
  const rows = (database: string, statement: string) =>
    mariadb.rowsIn(`mariadb://root@127.0.0.1:${port}/${database}`, statement);
  // One that joins a cluster has first copied what another one has.
  await until(() => rows("", "select 1 from mysql.user limit 1"), 120);
  return { port, rows, kill: () => killed(child, "mariadbd") };
}

/** A MariaDB primary and a replica. */
export async function mariadbPair(): Promise<Pair> {
  const { folder, empty } = mariadbFolder();
  const [first, second] = [join(folder, "first"), join(folder, "second")];
  for (const data of [first, second]) execFileSync("cp", ["-a", empty, data]);
  const primary = await mariadbServer(first, { "server-id": "1", "log-bin": "log" });
  const replica = await mariadbServer(second, { "server-id": "2", "read-only": "1" });
  const from = `master_host = '127.0.0.1', master_port = ${primary.port}, master_user = 'root'`;
  // Whoever may do everything may write to a replica, too; an application isn't meant to.
  await primary.rows("", "create user bees@'127.0.0.1' identified by 'pw'");
  await primary.rows("", "grant all on hives.* to bees@'127.0.0.1'");
  await replica.rows("", `change master to ${from}, master_use_gtid = slave_pos`);
  await replica.rows("", "start slave");
  return {
    primary,
    replica,
    pause: "stop slave sql_thread",
    resume: "start slave sql_thread",
    address: `mariadb://bees:pw@127.0.0.1:${primary.port},127.0.0.1:${replica.port}`,
    replicaAddress: `mariadb://bees:pw@127.0.0.1:${replica.port}`,
    handOver: async () => {
      await primary.rows("", "set global read_only = 1");
      const [row] = await primary.rows("", "select @@gtid_binlog_pos as place");
      await replica.rows("", `select master_gtid_wait('${row?.place}', 30)`);
      await replica.rows("", "stop slave");
      await replica.rows("", "set global read_only = 0");
    },
    end: async () => {
      await Promise.all([primary.kill(), replica.kill()]);
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** A Galera cluster of three MariaDB servers; `restart` brings back one that was killed. */
export async function mariadbCluster() {
  const { folder, empty } = mariadbFolder();
  const ports = async () => ({
    port: await freePort(),
    group: await freePort(),
    moves: await freePort(),
    copies: await freePort(),
  });
  const nodes = await Promise.all(
    ["one", "two", "three"].map(async (name) => ({ name, ...(await ports()) })),
  );
  const group = nodes.map((each) => `127.0.0.1:${each.group}`).join(",");
  const started = (at: number, more: Record<string, string> = {}): Promise<OwnServer> => {
    const { name, port, group: own, moves, copies } = nodes[at] as (typeof nodes)[number];
    const quick =
      "evs.keepalive_period=PT0.3S;evs.inactive_check_period=PT0.3S;evs.suspect_timeout=PT1S;evs.inactive_timeout=PT3S";
    return mariadbServer(join(folder, name), {
      port,
      "innodb-autoinc-lock-mode": "2",
      "wsrep-on": "ON",
      "wsrep-provider": "/usr/lib/galera/libgalera_smm.so",
      "wsrep-cluster-name": `levadura_${process.pid}`,
      "wsrep-cluster-address": `gcomm://${group}`,
      "wsrep-node-name": name,
      "wsrep-node-address": `127.0.0.1:${own}`,
      "wsrep-sst-method": "rsync",
      "wsrep-sst-receive-address": `127.0.0.1:${copies}`,
      "wsrep-provider-options": `gcache.size=32M;ist.recv_addr=127.0.0.1:${moves};${quick}`,
      ...more,
    });
  };
  for (const { name } of nodes) execFileSync("cp", ["-a", empty, join(folder, name)]);
  const servers = [await started(0, { "wsrep-new-cluster": "" })];
  servers.push(...(await Promise.all([1, 2].map((at) => started(at)))));
  return {
    servers,
    /** The start of the addresses of its databases, from one of its servers on. */
    addressFrom: (first: number) => {
      const order = [...servers.slice(first), ...servers.slice(0, first)];
      return `mariadb://root@${order.map(({ port }) => `127.0.0.1:${port}`).join(",")}`;
    },
    restart: async (at: number) => {
      servers[at] = await started(at);
    },
    end: async () => {
      await Promise.all(servers.map((server) => server.kill()));
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
