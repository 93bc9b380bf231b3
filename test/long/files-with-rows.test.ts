import { createHash } from "node:crypto";
import { mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { projectOn } from "../support/kinds.ts";
import { filesBelow, modelWithFiles as model, picture } from "../support/pictures.ts";
import { levadura, temporaryFolder } from "../support/program.ts";

interface Held {
  key: string;
  name: string;
  type: string;
  bytes: number;
  width?: number;
}

describe("files of data files and samples", () => {
  const loading = model.replace("    seed: 0\n", "    seed: {file: hives.csv}\n");

  it("are taken from the folder data/ by their names", async () => {
    const project = projectOn({ kind: "sqlite", server: undefined }, loading);
    const data = join(project.folder, "data");
    mkdirSync(join(data, "photos"), { recursive: true });
    writeFileSync(join(data, "photos", "b 1.jpg"), await picture("jpeg"));
    writeFileSync(join(data, "photos", "b2.png"), await picture("png", "#333"));
    const rows = "code,photo,shots\nB-1,photos/b 1.jpg,photos/b 1.jpg; photos/b2.png\nB-2,,\n";
    writeFileSync(join(data, "hives.csv"), rows);
    const seeded = async () => {
      await levadura(["prepare"], project.folder);
      await levadura(["migrate"], project.folder);
      return levadura(["seed"], project.folder);
    };
    expect((await seeded()).err).toBe("");
    const [first] = await project.rows<Record<string, string>>(
      "select photo, shots from hive where code = 'B-1'",
    );
    const [photo] = JSON.parse(first?.photo ?? "") as Held[];
    const content = readFileSync(
      join(project.folder, "files", photo?.key.slice(0, 2) ?? "", photo?.key ?? ""),
    );
    expect(
      createHash("sha256")
        .update(content)
        .digest("hex")
        .startsWith(photo?.key ?? "-"),
    ).toBe(true);
    expect((JSON.parse(first?.shots ?? "") as Held[]).map(({ name }) => name)).toEqual([
      "b 1.jpg",
      "b2.png",
    ]);
    // Twice the same content is kept once.
    expect(filesBelow(join(project.folder, "files"))).toHaveLength(6);

    writeFileSync(join(project.folder, "outside.jpg"), await picture("jpeg"));
    symlinkSync(join(project.folder, "outside.jpg"), join(data, "link.jpg"));
    for (const [cell, why] of [
      ["photos/none.jpg", "no name of a file in data/"],
      ["../outside.jpg", "no name of a file in data/"],
      ["link.jpg", "no name of a file in data/"],
      ["hives.csv", "not a picture that can be read"],
    ] as const) {
      writeFileSync(join(data, "hives.csv"), `code,photo\nB-1,${cell}\n`);
      const run = await levadura(["seed"], project.folder);
      expect([run.status, run.err]).toEqual([
        1,
        expect.stringContaining(`cell B2: "${cell}" is ${why}`),
      ]);
    }
    await project.remove();
  });

  it("are found beside a sheet whose cells name them", async () => {
    const folder = temporaryFolder();
    mkdirSync(join(folder, "sheets", "photos"), { recursive: true });
    mkdirSync(join(folder, "bees"));
    writeFileSync(join(folder, "sheets", "photos", "b1.jpg"), await picture("jpeg"));
    writeFileSync(join(folder, "sheets", "r1.txt"), "paid\n");
    writeFileSync(join(folder, "sheets", "r2.txt"), "paid, too\n");
    const rows = Array.from({ length: 12 }, (_, at) => `B-${at};photos/b1.jpg;r1.txt; r2.txt`);
    const text = `Code;Photo;Papers\n${rows.map((row) => row.replace("r1.txt; r2.txt", '"r1.txt; r2.txt"')).join("\n")}\nB-12;photos/none.jpg;../outside.txt\n`;
    writeFileSync(join(folder, "sheets", "hives.csv"), text);
    const bees = join(folder, "bees");
    const run = await levadura(["import", "../sheets/hives.csv", "--yes"], bees);
    expect(run.out).toMatch(/Photo +photo +image/);
    expect(run.out).toMatch(/Papers +papers +file \.\.2/);
    expect(run.out).toContain("Copied 3 files into data/");
    expect(run.out).toMatch(/C14 +"\.\.\/outside\.txt" +not the name of a file that is there/);
    expect(filesBelow(join(bees, "data"))).toEqual([
      "Hive.csv",
      "b1.jpg",
      "hives.csv",
      "r1.txt",
      "r2.txt",
    ]);
    for (const command of [["prepare"], ["migrate"], ["import", "--yes"]])
      expect((await levadura(command, bees)).status).toBe(0);
    const listed = await levadura(["files"], bees);
    expect(listed.out).toMatch(/Hive\.photo +1 file .*\n.*Hive\.papers +2 files/);
    // Without the files, the names are texts.
    rmSync(join(folder, "sheets", "photos"), { recursive: true });
    const bare = join(folder, "bare");
    mkdirSync(bare);
    expect((await levadura(["import", "../sheets/hives.csv"], bare)).out).toMatch(
      /Photo +photo +(text|choice)/,
    );
    const elsewhere = ["import", "../sheets/hives.csv", "--files", join(bees, "data")];
    expect((await levadura(elsewhere, bare)).out).toMatch(/Photo +photo +image/);
  });

  it("are made where rows are, and written beside files with rows", async () => {
    const project = projectOn(
      { kind: "sqlite", server: undefined },
      model.replace("seed: 0", "seed: 40").replace("photo: image", "photo: image, required"),
    );
    await levadura(["prepare"], project.folder);
    await levadura(["migrate"], project.folder);
    const run = await levadura(["seed"], project.folder);
    expect([run.status, run.err]).toEqual([0, ""]);
    const rows = await project.rows<Record<string, string | null>>(
      "select photo, shots, papers from hive",
    );
    const there = new Set(filesBelow(join(project.folder, "files")));
    const keys = rows.flatMap((row) =>
      Object.values(row).flatMap((held) => (held ? (JSON.parse(held) as Held[]) : [])),
    );
    expect(keys.length).toBeGreaterThan(60);
    expect(keys.every(({ key }) => there.has(key))).toBe(true);
    expect(rows.every(({ papers }) => !papers || (JSON.parse(papers) as Held[]).length >= 2)).toBe(
      true,
    );
    // Files with rows can be loaded with the files beside them.
    const out = join(temporaryFolder(), "rows");
    await levadura(["seed", "--to", out, "--as", "csv"], project.folder);
    const other = projectOn({ kind: "sqlite", server: undefined }, loading);
    mkdirSync(join(other.folder, "data"), { recursive: true });
    writeFileSync(join(other.folder, "data", "hives.csv"), readFileSync(join(out, "Hive.csv")));
    mkdirSync(join(other.folder, "data", "files"));
    for (const name of readdirSync(join(out, "files"))) {
      writeFileSync(
        join(other.folder, "data", "files", name),
        readFileSync(join(out, "files", name)),
      );
    }
    await levadura(["prepare"], other.folder);
    await levadura(["migrate"], other.folder);
    expect((await levadura(["seed"], other.folder)).err).toBe("");
    expect(await other.rows("select count(*) as n from hive where photo is not null")).toEqual([
      { n: 40 },
    ]);
    await project.remove();
    await other.remove();
  });
});
