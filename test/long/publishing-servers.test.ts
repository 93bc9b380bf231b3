import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { hostFor, type TestHost } from "../support/host.ts";
import { levadura, projectWith } from "../support/program.ts";
import { administrator, answers, mariadb, postgres } from "../support/servers.ts";
import { Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: KIND
entities:
  Hive:
    title: "{code}"
    fields:
      code: text 2..20, required, unique
`;

let host: TestHost;

beforeAll(async () => {
  host = await hostFor({ HOST_POSTGRES: postgres.address, HOST_MARIADB: mariadb.address });
});

afterAll(() => host.program().stop());

for (const server of [postgres, mariadb]) {
  test.skipIf(!(await answers(server)))(
    `on ${server.kind}, an application has a database and an account of its own, backups and a preview`,
    async () => {
      const text = model.replace("KIND", server.kind).replace("Hive Book", `On ${server.kind}`);
      const project = projectWith(text);
      const prepare = async () => {
        for (const command of ["prepare", "build"]) {
          expect(await levadura([command], project)).toMatchObject({ status: 0 });
        }
      };
      await prepare();
      const base = host.address(`on-${server.kind}`);
      const add = (code: string) => new Visitor(base).post("/hives/new", { code });
      await host.published(project, ["", "--open-to-everyone"]);
      await add("H-1");
      const { DATABASE_URL: url = "" } = secretsOf(host.folder, `on-${server.kind}`);
      const codes = async (at = url) =>
        (await server.rowsIn(at, 'select code from "hive" order by code')).map(({ code }) => code);
      expect(new URL(url).username).toMatch(/^on_\w+_[0-9a-f]{6}$/);
      expect(await codes()).toEqual(["H-1"]);

      // A field that goes, in two parts: the version that runs doesn't notice.
      const file = join(project, "model.yaml");
      writeFileSync(file, `${readFileSync(file, "utf8")}      town: text\n`);
      await prepare();
      await host.published(project, ["", "--open-to-everyone"]);
      writeFileSync(file, readFileSync(file, "utf8").replace("      town: text\n", ""));
      const two = ["prepare", "--in-two", "--accept-loss", "hive.town"];
      expect(await levadura(two, project)).toMatchObject({
        status: 0,
        out: expect.stringMatching(/Prepared migrations\/0004-[\w-]+-afterwards/),
      });
      expect(await levadura(["build"], project)).toMatchObject({ status: 0 });
      const third = await host.publish(project, ["", "--open-to-everyone"]);
      expect(third.out).toMatch(/Applied 0004-[\w-]+-afterwards/);
      expect(third.out).not.toContain("waited");

      await add("H-2");
      const preview = await host.published(project, ["", "--preview", "--rows", "copy"]);
      const name = new URL(String(preview.address)).hostname.split(".")[0] ?? "";
      const copy = secretsOf(host.folder, name).DATABASE_URL ?? "";
      expect(new URL(copy).pathname).not.toBe(new URL(url).pathname);
      expect(await codes(copy)).toEqual(["H-1", "H-2"]);
      const end = ["publish", "end", name, "--key", host.key];
      expect(await levadura(end, project)).toMatchObject({ status: 0 });
      await expect(codes(copy)).rejects.toThrow();

      // Back with the data: to what the backup before version 3 had.
      expect(await host.publish(project, ["rollback", "--data", "--yes"])).toMatchObject({
        status: 0,
      });
      expect(await codes()).toEqual(["H-1"]);
      expect((await add("H-3")).html).toContain("H-3");
      const account = new URL(url).username;
      // What runs there is ended with the host; this database goes at once.
      await administrator(server, `drop database ${account} ${server.drop}`);
      if (server.kind === "postgres") await administrator(server, `drop role ${account}`);
      else {
        for (const at of ["localhost", "127.0.0.1"]) {
          await administrator(server, `drop user '${account}'@'${at}'`);
        }
      }
    },
  );
}

function secretsOf(folder: string, name: string): Record<string, string> {
  return JSON.parse(readFileSync(join(folder, "applications", name, "secrets.json"), "utf8"));
}
