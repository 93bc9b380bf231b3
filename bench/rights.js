// What rights on rows and the log cost: the same application with and without people who sign in.
import { createHash, randomBytes, scryptSync } from "node:crypto";
import { writeFileSync } from "node:fs";
import { Agent, request } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, inFolder, median, run, startServer } from "./measure.js";

const rows = 100_000;
const concurrency = 8;
/** How long one turn takes, in milliseconds. */
const turn = 2000;

const model = (users, rights) => `levadura: 1
app: {name: Hive Book, language: en-GB}
${users}entities:
  Keeper:
    title: "{name}"
    fields: {name: "text, required"}
${rights("everyone: see")}
  Apiary:
    title: "{name}"
    fields: {name: "text, required", warden: one Keeper}
${rights("everyone: see")}
  Harvest:
    title: "{code}"
    fields:
      code: text, required
      apiary: one Apiary, required
      date: date, required
      weight: decimal 0..200, unit kg
    sort: date descending
${rights('everyone: "see, change where apiary.warden = me"')}
`;

/** A project with 100 apiaries, each with a warden of its own, and the session of one of them. */
function project(folder, signsIn) {
  const rights = (text) => (signsIn ? `    rights: {${text}}` : "");
  writeFileSync(
    join(folder, "model.yaml"),
    model(signsIn ? "users: {record: Keeper}\n" : "", rights),
  );
  for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
  const driver = new Driver(join(folder, "records.db"));
  const stamp = "'2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z'";
  const numbers = (most) =>
    `with recursive n(i) as (select 1 union all select i + 1 from n where i < ${most})`;
  driver.exec(`begin;
    ${numbers(100)} insert into keeper (name, created_at, updated_at) select 'Keeper ' || i, ${stamp} from n;
    ${numbers(100)} insert into apiary (name, warden_id, created_at, updated_at) select 'Apiary ' || i, i, ${stamp} from n;
    ${numbers(rows)} insert into harvest (code, apiary_id, date, weight, created_at, updated_at)
      select 'H-' || i, 1 + i % 100, date('2020-01-01', '+' || (i * 7919 % 2200) || ' days'), (i * 31 % 2000) / 10.0, ${stamp} from n;
    commit;`);
  const secret = randomBytes(32).toString("base64url");
  if (signsIn) {
    const now = `${new Date().toISOString().slice(0, 19)}Z`;
    const digest = createHash("sha256").update(secret).digest("hex");
    driver.exec(`insert into levadura_account (id, name, email, record_id, made_at) values (1, 'Ana', 'ana@example.org', 8, '${now}');
      insert into levadura_session (digest, account_id, begun_at, seen_at, address, browser) values ('${digest}', 1, '${now}', '${now}', '', '');`);
  }
  driver.close();
  return { cookie: `session=${secret}` };
}

function send(url, { agent, headers, body }) {
  return new Promise((resolve, reject) => {
    const sent = request(url, { agent, headers, method: body ? "POST" : "GET" }, (answer) => {
      let text = "";
      answer.setEncoding("utf8");
      answer.on("data", (chunk) => {
        text += chunk;
      });
      answer.on("end", () => resolve({ status: answer.statusCode, text }));
    });
    sent.on("error", reject);
    sent.end(body);
  });
}

/** How often some work is done in a second, by several at the same time. */
async function perSecond(work) {
  let done = 0;
  const begun = performance.now();
  const ask = async (who) => {
    while (performance.now() - begun < turn) {
      await work(who);
      done++;
    }
  };
  await Promise.all(Array.from({ length: concurrency }, (_, who) => ask(who)));
  return (done * 1000) / (performance.now() - begun);
}

/** How long a wrong password takes of somebody who has an account, and of somebody who has none. */
async function refusals(folder, { agent, address }) {
  const salt = randomBytes(16);
  const hash = scryptSync("seven frames of brood", salt, 32, {
    N: 131072,
    r: 8,
    p: 1,
    maxmem: 2 ** 28,
  });
  const driver = new Driver(join(folder, "records.db"));
  const kept = `scrypt:131072:8:1:${salt.toString("base64url")}:${hash.toString("base64url")}`;
  driver.exec(`update levadura_account set password = '${kept}' where id = 1`);
  const times = [[], []];
  const headers = { origin: address, "content-type": "application/x-www-form-urlencoded" };
  for (let at = 0; at < 9; at++) {
    for (const [side, email] of ["ana@example.org", `nobody${at}@example.org`].entries()) {
      const body = new URLSearchParams({ email, password: "not this one" }).toString();
      const begun = performance.now();
      const { status } = await send(`${address}/-/sign-in`, { agent, headers, body });
      if (status !== 422) throw new Error(`the sign-in gave ${status}`);
      times[side].push(performance.now() - begun);
    }
  }
  driver.close();
  const [own, against] = times.map((all) => median(all.slice(1)));
  return {
    what: "refusing a wrong password of a known account",
    reference: "the same of an unknown one",
    own,
    against,
    unit: "ms",
    hold: "<= 1.1",
  };
}

export function rights() {
  return inFolder((plain) =>
    inFolder(async (guarded) => {
      const sides = [];
      for (const [folder, signsIn] of [
        [guarded, true],
        [plain, false],
      ]) {
        const { cookie } = project(folder, signsIn);
        const { address, stop } = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
        const agent = new Agent({ keepAlive: true, maxSockets: concurrency });
        const headers = { cookie, origin: address };
        // One sees the harvests of her own apiary; the other asks for those of an apiary.
        const list = `${address}/harvests${signsIn ? "" : "?apiary_id=8"}`;
        const versions = new Map();
        const save = async (who) => {
          const id = 7 + 100 * (who + 1);
          const version = versions.get(id) ?? 1;
          const fields = {
            _version: version,
            code: `H-${id}`,
            apiary_id: 8,
            date: "03/05/2026",
            weight: version % 200,
          };
          const form = { ...headers, "content-type": "application/x-www-form-urlencoded" };
          const body = new URLSearchParams(fields).toString();
          const { status, text } = await send(`${address}/harvests/${id}/edit`, {
            agent,
            headers: form,
            body,
          });
          if (status !== 303) throw new Error(`saving gave ${status}: ${text}`);
          versions.set(id, version + 1);
        };
        const show = async () => {
          const { status, text } = await send(list, { agent, headers });
          if (status !== 200 || !text.includes("1,000 harvests"))
            throw new Error(`the list gave ${status}: ${text}`);
        };
        sides.push({ save, show, stop, agent, address });
      }
      try {
        const results = [];
        for (const [name, what, reference, hold] of [
          [
            "show",
            "list page of 1,000 of 100,000 rows that a person may see, by `where apiary.warden = me`",
            "the same page without sign-in, of an apiary",
            ">= 0.8",
          ],
          ["save", "saving a record, noted in the log", "the same without sign-in", ">= 0.7"],
        ]) {
          const speeds = [[], []];
          for (let at = 0; at < 6; at++) {
            for (const [side, each] of sides.entries())
              speeds[side].push(await perSecond(each[name]));
          }
          // The first turn warms up.
          const [own, against] = speeds.map((all) => median(all.slice(1)));
          results.push({ what, reference, own, against, unit: "requests/s", hold });
        }
        results.push(await refusals(guarded, sides[0]));
        return results;
      } finally {
        for (const { stop, agent } of sides) {
          agent.destroy();
          await stop();
        }
      }
    }),
  );
}
