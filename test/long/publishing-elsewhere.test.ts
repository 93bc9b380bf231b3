import { type ChildProcess, execFileSync, spawn, spawnSync } from "node:child_process";
import {
  chmodSync,
  chownSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  writeFileSync,
} from "node:fs";
import { request } from "node:https";
import { join } from "node:path";
import { expect, onTestFinished, test } from "vitest";
import { parse } from "yaml";
import { rowsOf } from "../support/database.ts";
import { demoModel } from "../support/demo.ts";
import { freePort, levadura, projectWith, temporaryFolder } from "../support/program.ts";
import { Visitor } from "../support/visitor.ts";

/** Programs that read the files; under NO_SKIPS each has to be there. */
const missing = ["nginx", "caddy", "systemd-analyze"].filter(
  (program) => spawnSync("which", [program]).status !== 0,
);
if (missing.length > 0 && process.env.NO_SKIPS)
  throw new Error(`there is no ${missing.join(", ")}`);

/** An account that nobody has, where tests may become another one. */
const other = process.getuid?.() === 0 ? { uid: 68_123, gid: 68_123 } : {};

test("an archive runs with Node alone, as another user in an empty folder, behind nginx", async () => {
  const project = projectWith(demoModel({ open: true }));
  for (const command of ["prepare", "build"]) {
    expect(await levadura([command], project)).toMatchObject({ status: 0 });
  }
  const release = join(project, "release");
  const written = await levadura(["publish", "--to", "release"], project);
  expect(written).toMatchObject({ status: 0, next: expect.stringContaining("README.md") });
  expect(readdirSync(release).sort()).toEqual(
    [
      "Caddyfile",
      "Containerfile",
      "README.md",
      "compose.yaml",
      "hive-book.env.example",
      "hive-book.service",
      "hive-book.tar.gz",
      "nginx.conf",
    ].sort(),
  );
  // What somebody may have changed there isn't written over.
  expect(await levadura(["publish", "--to", "release"], project)).toMatchObject({ status: 2 });

  const place = temporaryFolder();
  const app = join(place, "hive-book");
  mkdirSync(app);
  execFileSync("tar", ["-xzf", join(release, "hive-book.tar.gz"), "-C", app, "--no-same-owner"]);
  const data = join(place, "data");
  mkdirSync(data, { mode: 0o700 });
  chmodSync(place, 0o755);
  if (other.uid) chownSync(data, other.uid, other.gid);
  const port = await freePort();
  const env = {
    PATH: process.env.PATH ?? "",
    DATABASE_URL: `sqlite:${data}/records.db`,
    FILES_URL: `${data}/files`,
    KEPT_FOLDER: `${data}/kept`,
    PORT: port,
    HOST_NAMES: "bees.example",
    TRUST_FORWARDED: "yes",
  };
  const node = (args: string[]) =>
    execFileSync(process.execPath, args, { cwd: app, env, encoding: "utf8", ...other });
  expect(node(["dist/migrate.mjs", "--list"])).toBe("pending 0001-begin\n");
  expect(node(["dist/migrate.mjs"])).toContain("Applied 0001-begin.");
  expect(node(["dist/migrate.mjs", "--back-to", "0"])).toContain("Reverted 0001-begin.");
  expect(node(["dist/migrate.mjs"])).toContain("Applied 0001-begin.");
  await started([process.execPath, "dist/main.mjs"], { cwd: app, env, ...other }, port);
  const visitor = new Visitor(`http://127.0.0.1:${port}`);
  expect((await visitor.post("/apiaries/new", { name: "Far Field" })).html).toContain("Far Field");
  expect(rowsOf(`${data}/records.db`, "select name from apiary")).toEqual([{ name: "Far Field" }]);
  // Packages with files of their own, or loaded late.
  for (const [format, begin] of [
    ["pdf", "%PDF"],
    ["xlsx", "PK"],
  ]) {
    const { status, content } = await visitor.bytes(`/apiaries/export/${format}`);
    expect([status, content.subarray(0, 4).toString()]).toEqual([
      200,
      expect.stringContaining(begin ?? ""),
    ]);
  }

  // ... and those that are bundled apart have the names that they have by themselves.
  for (const name of ["@aws-sdk/client-s3", "nodemailer", "openid-client", "yauzl"]) {
    const file = `./dist/packages/${name.replaceAll("/", "-").replace("@", "")}.mjs`;
    const code = `import("${file}").then((found) => console.log(JSON.stringify(Object.keys(found))))`;
    const found = JSON.parse(node(["-e", code])) as string[];
    const wanted = Object.keys(await import(name)).filter((each) => each !== "module.exports");
    expect([name, found.sort()]).toEqual([name, wanted.sort()]);
  }

  await checkPlaces(release);
  await checkOtherMachine(project);
  if (missing.includes("nginx")) return;
  const front = await freePort();
  const config = nginxOn(release, place, front, port);
  await started(
    ["nginx", "-c", config, "-p", place, "-g", "daemon off;"],
    { cwd: place, env },
    front,
  );
  const page = await through(front, "/apiaries", "bees.example");
  expect(page).toMatchObject({ status: 200, text: expect.stringContaining("Far Field") });
  expect((await through(front, "/apiaries", "other.example")).status).toBe(421);
});

/** For another kind of machine, the packages with binaries are those for it. */
async function checkOtherMachine(project: string): Promise<void> {
  const wrong = await levadura(["publish", "--to", "there", "--for", "linux-mips"], project);
  expect(wrong).toMatchObject({ status: 2, err: expect.stringContaining("linux-arm64-glibc") });
  const args = ["publish", "--to", "there", "--for", "linux-arm64-glibc"];
  expect(await levadura(args, project)).toMatchObject({ status: 0 });
  const archive = join(project, "there", "hive-book.tar.gz");
  const names = execFileSync("tar", ["-tzf", archive], { encoding: "utf8" }).split("\n");
  const binaries = names.filter((name) => /\.(node|so[\w.-]*)$/.test(name));
  expect(binaries.length).toBeGreaterThan(2);
  expect(binaries.filter((name) => !/linux-arm64/.test(name))).toEqual([]);
  const [driver = ""] = binaries.filter((name) => name.includes("@libsql"));
  const binary = execFileSync("tar", ["-xzOf", archive, driver], { maxBuffer: 64_000_000 });
  // The kind of processor, in the header of an ELF file.
  expect([binary.subarray(1, 4).toString(), binary.readUInt16LE(18)]).toEqual(["ELF", 183]);
}

/** Holds the other files against what reads them. */
async function checkPlaces(release: string): Promise<void> {
  const compose = parse(readFileSync(join(release, "compose.yaml"), "utf8"));
  expect(compose.services.application).toMatchObject({ build: ".", volumes: ["data:/data"] });
  const container = readFileSync(join(release, "Containerfile"), "utf8");
  expect(container).toContain("ADD hive-book.tar.gz /app/");
  if (!missing.includes("systemd-analyze")) {
    const unit = join(release, "hive-book.service");
    const { status, stderr } = spawnSync("systemd-analyze", ["verify", "--man=no", unit], {
      encoding: "utf8",
    });
    expect([status, stderr.split("\n").filter((line) => line.includes("hive-book"))]).toEqual([
      0,
      [],
    ]);
  }
  if (!missing.includes("caddy")) {
    const args = ["adapt", "--adapter", "caddyfile", "--config", join(release, "Caddyfile")];
    const { status, stdout } = spawnSync("caddy", args, { encoding: "utf8" });
    expect(status).toBe(0);
    expect(JSON.stringify(JSON.parse(stdout))).toContain('"dial":"127.0.0.1:3000"');
  }
}

/** A configuration of nginx around the file as it was written, but for its ports and its certificate. */
function nginxOn(release: string, place: string, front: string, port: string): string {
  const certificate = join(place, "certificate.pem");
  const key = join(place, "key.pem");
  execFileSync("openssl", [
    ...["req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes"],
    ...["-subj", "/CN=bees.example", "-days", "2", "-keyout", key, "-out", certificate],
  ]);
  const server = readFileSync(join(release, "nginx.conf"), "utf8")
    .replace("listen 443", `listen 127.0.0.1:${front}`)
    .replace("server_name bees.example", "server_name bees.example other.example")
    .replace("/etc/ssl/bees.example.pem", certificate)
    .replace("/etc/ssl/private/bees.example.key", key)
    .replace("127.0.0.1:3000", `127.0.0.1:${port}`);
  const config = join(place, "nginx.conf");
  const temporary = ["client_body", "proxy", "fastcgi", "uwsgi", "scgi"]
    .map((name) => `${name}_temp_path ${place}/nginx-${name};`)
    .join("\n");
  writeFileSync(
    config,
    `pid ${place}/nginx.pid;\nerror_log ${place}/nginx.log;\nevents {}\nhttp {\naccess_log off;\n${temporary}\n${server}}\n`,
  );
  return config;
}

/** Starts a program, waits until it listens, and ends it with the test. */
async function started(
  [program = "", ...args]: string[],
  options: { cwd: string; env: Record<string, string>; uid?: number; gid?: number },
  port: string,
): Promise<ChildProcess> {
  const child = spawn(program, args, { ...options, stdio: "ignore" });
  onTestFinished(() => {
    child.kill("SIGTERM");
  });
  const listens = () =>
    existsSync("/proc/net/tcp") &&
    readFileSync("/proc/net/tcp", "utf8").includes(
      `0100007F:${Number(port).toString(16).toUpperCase().padStart(4, "0")} 00000000:0000 0A`,
    );
  await expect.poll(listens, { timeout: 30_000 }).toBe(true);
  return child;
}

/** A page as it comes through what stands in front. */
function through(
  port: string,
  path: string,
  host: string,
): Promise<{ status: number; text: string }> {
  return new Promise((resolve, reject) => {
    const asked = request(
      { host: "127.0.0.1", port, path, rejectUnauthorized: false, headers: { host } },
      async (answer) => {
        let text = "";
        for await (const chunk of answer) text += chunk;
        resolve({ status: answer.statusCode ?? 0, text });
      },
    );
    asked.once("error", reject);
    asked.end();
  });
}
