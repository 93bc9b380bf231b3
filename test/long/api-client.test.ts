import { spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { createRequire } from "node:module";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { exportJWK, generateKeyPair, SignJWT } from "jose";
import { expect, it } from "vitest";
import { asking, bearer, tokenOf } from "../support/api.ts";
import { demoModel } from "../support/demo.ts";
import { freePort, projectWith, repository, running, temporaryFolder } from "../support/program.ts";
import { Visitor } from "../support/visitor.ts";

/** The folder of a package that the generator of clients comes with, wherever npm put it. */
function packageFolder(name: string): string {
  const from = createRequire(join(repository, "test/api-client/package.json"));
  const [folder] = (from.resolve.paths(name) ?? [])
    .map((each) => join(each, name))
    .filter((each) => existsSync(each));
  return folder ?? name;
}

/** What a developer writes with the generated types: a wrong member or a wrong value doesn't compile. */
const client = `import createClient from "openapi-fetch";
import type { components, paths } from "./api.js";

const [baseUrl = "", token = ""] = process.argv.slice(2);
const { GET, POST, PATCH, DELETE } = createClient<paths>({
  baseUrl,
  headers: { authorization: \`Bearer \${token}\` },
});
const values: components["schemas"]["HiveNew"] = { code: "TS-1", apiary_id: 1, status: "weak", keepers: [1] };
const made = await POST("/-/api/hives", { body: values });
if (made.error) throw new Error(made.error.detail);
const { id = 0, version } = made.data;
const params = { path: { id }, header: { "If-Match": \`"\${version}"\` } };
const changed = await PATCH("/-/api/hives/{id}", {
  params,
  body: { status: "active" },
  headers: { "content-type": "application/merge-patch+json" },
});
const wrong = await POST("/-/api/hives", {
  // @ts-expect-error a hive has no such member, and no such status
  body: { code: "TS-2", apiary_id: 1, colour: "red", status: "fine" },
});
const list = await GET("/-/api/hives", { params: { query: { status: ["active"], size: 500, sort: "-code" } } });
const codes = list.data?.rows.map((row) => row.code) ?? [];
const stale = await DELETE("/-/api/hives/{id}", { params });
console.log(
  JSON.stringify({
    changed: changed.data?.version,
    wrong: wrong.error?.errors?.map(({ pointer }) => pointer),
    found: codes.includes("TS-1"),
    stale: stale.error?.status,
  }),
);
`;

it("a typed client that the standard generator makes of the description compiles and runs", async () => {
  const folder = projectWith(demoModel());
  const server = await running(["rise"], folder);
  try {
    const board = await Visitor.of(server.address, "administrators");
    const token = await tokenOf(board, "Client");
    const ask = asking(server.address, bearer(token));
    await ask("POST", "/-/api/apiaries", { name: "Linden Terrace" });
    await ask("POST", "/-/api/keepers", { name: "Ada Voss", joined: "2024-03-01" });
    const { body: described } = await ask("GET", "/-/openapi.json");
    const at = join(folder, "client");
    mkdirSync(at);
    mkdirSync(join(at, "node_modules"));
    symlinkSync(packageFolder("openapi-fetch"), join(at, "node_modules/openapi-fetch"));
    writeFileSync(join(at, "openapi.json"), JSON.stringify(described));
    writeFileSync(join(at, "client.ts"), client);
    writeFileSync(join(at, "package.json"), JSON.stringify({ type: "module" }));
    const run = (command: string, ...args: string[]) => {
      const { status, stdout, stderr } = spawnSync(process.execPath, [command, ...args], {
        cwd: at,
        encoding: "utf8",
      });
      expect(status, stdout + stderr).toBe(0);
    };
    run(join(packageFolder("openapi-typescript"), "bin/cli.js"), "openapi.json", "-o", "api.d.ts");
    const types = join(repository, "node_modules/@types");
    const options =
      "--strict --module nodenext --target es2022 --skipLibCheck --types node --typeRoots";
    run(join(packageFolder("typescript"), "bin/tsc"), ...options.split(" "), types, "client.ts");
    const { stdout, stderr } = spawnSync(process.execPath, ["client.js", server.address, token], {
      cwd: at,
      encoding: "utf8",
    });
    expect(stderr).toBe("");
    expect(JSON.parse(stdout)).toEqual({
      changed: 2,
      wrong: ["#/colour", "#/status"],
      found: true,
      stale: 412,
    });
  } finally {
    await server.stop();
  }
});

it("tokens of a sign-in provider are those of the people that it signed in, as long as they hold", async () => {
  const { privateKey, publicKey } = await generateKeyPair("RS256");
  const other = await generateKeyPair("RS256");
  const key = { ...(await exportJWK(publicKey)), kid: "one", alg: "RS256", use: "sig" };
  const provider = createServer((request, answer) => {
    const { port } = provider.address() as AddressInfo;
    const issuer = `http://127.0.0.1:${port}`;
    const isKeys = request.url === "/keys";
    const about = {
      issuer,
      jwks_uri: `${issuer}/keys`,
      authorization_endpoint: `${issuer}/authorize`,
      token_endpoint: `${issuer}/token`,
      response_types_supported: ["code"],
      subject_types_supported: ["public"],
      id_token_signing_alg_values_supported: ["RS256"],
    };
    answer.setHeader("content-type", "application/json");
    answer.end(JSON.stringify(isKeys ? { keys: [key] } : about));
  });
  await new Promise<void>((resolve) => provider.listen(0, "127.0.0.1", resolve));
  const issuer = `http://127.0.0.1:${(provider.address() as AddressInfo).port}`;
  const folder = projectWith(demoModel());
  const env = { SIGN_IN_PROVIDER: issuer, SIGN_IN_CLIENT: "hives", SIGN_IN_SECRET: "made up" };
  const server = await running(["rise"], folder, env);
  try {
    // As the provider knew the person who is the sample of the board, when they signed in by it.
    await Visitor.of(server.address, "board");
    const { default: Driver } = await import("libsql");
    const driver = new Driver(join(folder, "records.db"));
    const { digestOf } = await import("../../kit/access/secrets.ts");
    const subject = digestOf(JSON.stringify([issuer, "ada"]));
    driver.exec(
      `insert into levadura_identity (subject, account_id, made_at) select '${subject}', id, '2026-05-03T07:00:00Z' from levadura_account where name like 'Board%'`,
    );
    driver.close();
    const token = (
      claims: { sub?: string; aud?: string; iss?: string; exp?: string },
      signed = privateKey,
    ) =>
      new SignJWT({})
        .setProtectedHeader({ alg: "RS256", kid: "one" })
        .setSubject(claims.sub ?? "ada")
        .setAudience(claims.aud ?? "hives")
        .setIssuer(claims.iss ?? issuer)
        .setExpirationTime(claims.exp ?? "5m")
        .sign(signed);
    const status = async (text: string) =>
      (await asking(server.address, bearer(text))("GET", "/-/api/hives")).status;
    expect(await status(await token({}))).toBe(200);
    const refused = [
      await token({ sub: "bo" }),
      await token({ aud: "others" }),
      await token({ iss: "https://other.example" }),
      await token({ exp: "-1h" }),
      await token({}, other.privateKey),
      `${Buffer.from('{"alg":"none"}').toString("base64url")}.${Buffer.from('{"sub":"ada"}').toString("base64url")}.x`,
    ];
    for (const text of refused) expect(await status(text)).toBe(401);
  } finally {
    await server.stop();
    provider.close();
  }
});

/** The words of a line as a shell reads them, as far as the examples of the guide need it. */
function wordsOf(line: string, variables: Record<string, string>): string[] {
  const filled = (text: string) =>
    text.replace(/\$(\w+)/g, (_, name: string) => variables[name] ?? "");
  const words = line.match(/(?:[^\s"']|"[^"]*"|'[^']*')+/g) ?? [];
  return words.map((word) =>
    word.replace(/'([^']*)'|"([^"]*)"/g, (_, plain: string | undefined, text = "") =>
      plain === undefined ? filled(text) : plain,
    ),
  );
}

it("the examples of the guide give what it says", async () => {
  const guide = readFileSync(join(repository, "docs/api.md"), "utf8");
  const examples = [...guide.matchAll(/^\$ curl (.*)\n(.*(?:\n(?!\$|```).*)*)$/gm)];
  expect(examples.length).toBeGreaterThan(7);
  const folder = temporaryFolder();
  const server = await running(
    ["demo", "--into", join(folder, "hives"), "--port", await freePort()],
    folder,
  );
  try {
    const board = await Visitor.of(server.address, "administrators");
    const TOKEN = await tokenOf(board, "Guide");
    for (const [, line = "", wanted = ""] of examples) {
      const words = wordsOf(line, { TOKEN, HIVES: server.address });
      const after = (flag: string) =>
        words.flatMap((word, at) => (words[at - 1] === flag ? [word] : []));
      const [body] = after("-d");
      const [method = body === undefined ? "GET" : "POST"] = after("-X");
      const headers = Object.fromEntries(after("-H").map((each) => each.split(/: (.*)/s, 2)));
      const answer = await fetch(words.at(-1) ?? "", { method, headers, body: body ?? null });
      const parts = wanted.split("…").map((part) => part.replace(/[\\^$.*+?()[\]{}|]/g, "\\$&"));
      expect((await answer.text()).trim(), line).toMatch(new RegExp(`^${parts.join(".*")}$`, "s"));
    }
  } finally {
    await server.stop();
  }
});
