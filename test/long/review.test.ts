import { readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { committedIn, type Git } from "../support/git.ts";
import { levadura, temporaryFolder } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text ..20, required, unique
      notes: long text
    seed: 4
`;

/** A project in a repository, with everything committed, and what git says of it. */
async function committed(keep = false) {
  const folder = temporaryFolder(keep);
  expect((await levadura(["begin", "."], folder)).status).toBe(0);
  writeFileSync(join(folder, "model.yaml"), model);
  for (const command of ["prepare", "migrate", "seed", "build"]) {
    expect(await levadura([command], folder)).toMatchObject({ status: 0 });
  }
  const git = committedIn(folder);
  const say = (from: string, to: string) => {
    const file = join(folder, "model.yaml");
    expect(readFileSync(file, "utf8")).toContain(from);
    writeFileSync(file, readFileSync(file, "utf8").replace(from, to));
  };
  return { folder, git, say };
}

/** All files of a folder with their texts. */
function contentOf(folder: string): Record<string, string> {
  const files = readdirSync(folder, { recursive: true, withFileTypes: true });
  return Object.fromEntries(
    files
      .filter((entry) => entry.isFile())
      .map((entry) => join(entry.parentPath, entry.name))
      .map((path) => [path.slice(folder.length), readFileSync(path, "utf8")]),
  );
}

describe("what a build would do", () => {
  it("is a patch that git takes, and does the same", async () => {
    const { folder, git, say } = await committed();
    // Nothing of the application is ignored.
    expect(git("ls-files", "app").trim().split("\n").length).toBe(
      Object.keys(contentOf(join(folder, "app"))).length,
    );
    const detail = join(folder, "app/src/entities/hive/hive.detail.tsx");
    writeFileSync(detail, `// Ours: ä\u200b\r\n${readFileSync(detail, "utf8").trimEnd()}`);
    const form = join(folder, "app/src/entities/hive/hive.form.tsx");
    writeFileSync(
      form,
      readFileSync(form, "utf8").replace('name="notes"', 'name="notes" rows={9}'),
    );
    git("commit", "--quiet", "--all", "--message", "Edits");
    const nothing = await levadura(["build", "--diff"], folder);
    expect(nothing.out).toBe("");
    expect(nothing.err).toContain("app/ is up to date already");
    say("notes: long text", "notes: long text, hint What was seen\n      size: integer");
    say("entities:\n", "entities:\n  QueenLine:\n    fields:\n      name: text, required\n");
    const { out, err, status } = await levadura(["build", "--diff"], folder);
    expect(status).toBe(0);
    for (const line of [
      "new     app/src/entities/queen-line/queen-line.ts",
      "replace app/src/entities/hive/hive.ts",
      "merge   app/src/entities/hive/hive.detail.tsx  edited by hand",
      "keep    app/src/entities/hive/hive.form.tsx  edited by hand where something is new: both changed the same lines",
    ])
      expect(err).toContain(`${line}\n`);
    expect(git("status", "--porcelain")).toBe(" M model.yaml\n");
    const patch = join(temporaryFolder(), "next.patch");
    writeFileSync(patch, out);
    git("apply", "--whitespace=nowarn", patch);
    const applied = contentOf(join(folder, "app"));
    git("checkout", "--quiet", "app");
    git("clean", "--quiet", "-fd", "app");
    expect((await levadura(["build"], folder)).status).toBe(0);
    expect(contentOf(join(folder, "app"))).toEqual(applied);
  });
});

describe("a build on a branch", () => {
  it("has the migration, and says what it came from and does to the rows", async () => {
    const { folder, git, say } = await committed();
    const detail = join(folder, "app/src/entities/hive/hive.detail.tsx");
    writeFileSync(detail, `// Ours.\n${readFileSync(detail, "utf8")}`);
    say(
      "notes: long text",
      "notes: long text, hint What was seen\n      size: integer, required, default 1",
    );
    git("commit", "--quiet", "--all", "--message", "Sizes");
    const { out, err, status, next } = await levadura(["build", "--branch", "sizes"], folder);
    expect([status, err, next]).toEqual([0, "", "git show sizes  shows it"]);
    expect(out).toContain("Committed on the branch sizes");
    expect(out).toContain("migrations/0002-add-hive-size");
    const message = git("log", "-1", "--format=%B", "sizes");
    expect(message).toMatch(/^Hive\.size is new, and 1 more change\n\n/);
    expect(message).toContain("- Hive.notes: hint changed\n");
    expect(message).toContain("Migration 0002-add-hive-size, and what it does to the rows:");
    expect(message).toMatch(/hive\.size is new\n +hive: 4 rows/);
    expect(message).toContain("- merged into app/src/entities/hive/hive.detail.tsx");
    // Nothing else changed, and merged it is what a build gives.
    expect(git("status", "--porcelain")).toBe("");
    expect(git("branch", "--format=%(refname:short)").trim().split("\n")).toEqual([
      "main",
      "sizes",
    ]);
    expect(git("worktree", "list").trim().split("\n")).toHaveLength(1);
    git("merge", "--quiet", "--ff-only", "sizes");
    expect((await levadura(["build"], folder)).out).toContain("app/ is up to date already");
    expect((await levadura(["migrate"], folder)).out).toContain("0002-add-hive-size");
    expect(readFileSync(detail, "utf8")).toMatch(/^\/\/ Ours\.\n[\s\S]*"size"/);
  });

  describe("is refused, and nothing is touched,", () => {
    let project: Awaited<ReturnType<typeof committed>>;
    beforeAll(async () => {
      project = await committed(true);
    });
    afterAll(() => rmSync(project.folder, { recursive: true, force: true }));

    it.each<[string, string, (folder: string, git: Git) => void]>([
      [
        "new",
        "not everything is committed: model.yaml",
        (folder) => writeFileSync(join(folder, "model.yaml"), `${model}    label: Hive\n`),
      ],
      ["new", "there is nothing to commit", () => undefined],
      ["main", "the branch main is there already", () => undefined],
      ["a..b", "git has no branch of the name a..b", () => undefined],
      ["-b", "git has no branch of the name -b", () => undefined],
      [
        "new",
        "git ignores app/src/entities/hive/hive.detail.tsx, so a branch wouldn't have it",
        (folder, git) => {
          writeFileSync(join(folder, ".gitignore"), "*.db*\n.levadura/run\nhive/\n");
          git("commit", "--quiet", "--all", "--message", "Ignore");
          git("rm", "--quiet", "-r", "--cached", "app/src/entities/hive");
          git("commit", "--quiet", "--message", "Forget");
        },
      ],
      [
        "new",
        "is in no git repository",
        (folder) => rmSync(join(folder, ".git"), { recursive: true }),
      ],
    ])("%s: %s", async (branch, words, before) => {
      const { folder, git } = project;
      before(folder, git);
      const there = contentOf(join(folder, "app"));
      const { status, err } = await levadura(["build", `--branch=${branch}`], folder);
      expect(err).toContain(words);
      expect(status).toBe(branch.match(/[.-]/) ? 2 : 1);
      expect(contentOf(join(folder, "app"))).toEqual(there);
      if (words.startsWith("not everything")) git("checkout", "--quiet", "model.yaml");
    });
  });
});
