import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { openFile } from "./connection.ts";
import { Readers, TooSlow } from "./readers.ts";

const numbers = (most: number) =>
  `with recursive n(x) as (select 1 union all select x + 1 from n where x < ${most})`;

describe("readers of a file", () => {
  let folder: string;
  let readers: Readers;

  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), "levadura-readers-"));
    const database = openFile(join(folder, "records.db"));
    database.exec(
      "create table hive (code text, kept boolean); insert into hive values ('B-1', 1)",
    );
    database.close();
    readers = new Readers(join(folder, "records.db"));
    process.env.DATABASE_STATEMENT_SECONDS = "0.3";
  });
  afterEach(async () => {
    delete process.env.DATABASE_STATEMENT_SECONDS;
    await readers.close();
    rmSync(folder, { recursive: true });
  });

  const hives = () => readers.rows("select * from hive where code = ?", ["B-1"]);

  it.each([
    ["before its first row", `${numbers(1e9)} select sum(x) from n`],
    ["between two rows", `${numbers(1e9)} select x from n`],
  ])("stop what takes too long %s, and go on with the rest", async (_when, slow) => {
    const stopped = readers.rows(slow, []).then(
      () => "done",
      (error: unknown) => error,
    );
    // While it runs, others are answered.
    expect(await hives()).toEqual([{ code: "B-1", kept: true }]);
    expect(await stopped).toMatchObject({ code: "SQLITE_INTERRUPT" });
    expect(await Promise.all(Array.from({ length: 20 }, hives))).toHaveLength(20);
    // Nothing is held that keeps the log of changes from being written back.
    const database = openFile(join(folder, "records.db"));
    database.exec("insert into hive values ('B-2', 0)");
    expect(database.pragma("wal_checkpoint(truncate)")).toEqual([
      expect.objectContaining({ busy: 0 }),
    ]);
    database.close();
    expect(await readers.rows("select count(*) as n from hive", [])).toEqual([{ n: 2 }]);
  });

  it("keep what they sort in files, as all other connections do", async () => {
    const kept = [{ temp_store: 1 }];
    expect(await readers.rows("pragma temp_store", [])).toEqual(kept);
    const database = openFile(join(folder, "records.db"));
    expect(database.pragma("temp_store")).toEqual(kept);
    database.close();
  });

  it("are four, for which the others wait", async () => {
    delete process.env.DATABASE_STATEMENT_SECONDS;
    const slow = `${numbers(300_000)} select sum(x) as sum from n`;
    const all = await Promise.all(Array.from({ length: 9 }, () => readers.rows(slow, [])));
    expect(all).toEqual(all.map(() => [{ sum: 45_000_150_000 }]));
    await expect(readers.rows("select nothing from hive", [])).rejects.not.toBeInstanceOf(TooSlow);
    expect(await hives()).toHaveLength(1);
  });
});
