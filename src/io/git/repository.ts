import { execFile } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";

/** The git repository that a folder is in. */
export class Repository {
  private constructor(
    readonly folder: string,
    /** The folder, seen from the top of the repository: empty, or with a slash at its end. */
    readonly prefix: string,
  ) {}

  /** The repository of a folder; undefined where it is in none, or there is no git. */
  static async of(folder: string): Promise<Repository | undefined> {
    const { status, out } = await git(folder, ["rev-parse", "--show-prefix"]);
    return status === 0 ? new Repository(folder, out.trim()) : undefined;
  }

  /** What differs from the last commit in the folder, by path. */
  async dirty(): Promise<string[]> {
    const out = await this.say("status", "--porcelain", "-z", "--no-renames", "--", ".");
    return out.split("\0").flatMap((entry) => (entry === "" ? [] : [entry.slice(3)]));
  }

  /** Whether a branch can have a name: `taken` where one has. */
  async branchName(name: string): Promise<"free" | "taken" | "impossible"> {
    const ref = `refs/heads/${name}`;
    if (name.startsWith("-") || !(await this.#holds("check-ref-format", ref))) return "impossible";
    return (await this.#holds("show-ref", "--verify", "--quiet", ref)) ? "taken" : "free";
  }

  /** Whether there is a commit to begin from. */
  async hasCommit(): Promise<boolean> {
    return this.#holds("rev-parse", "--verify", "--quiet", "HEAD^{commit}");
  }

  /** Which of some paths git is told to take no notice of. */
  async ignored(paths: readonly string[]): Promise<string[]> {
    const args = ["check-ignore", "--stdin", "-z"];
    const answer = await git(this.folder, args, paths.join("\0"));
    // Its status is 1 where none is.
    const out = answer.status === 1 ? "" : said(args, answer);
    return out.split("\0").filter((path) => path !== "");
  }

  /**
   * Does work in a copy of the last commit, of which it gets the folder, and commits what that changed in some paths under a
   * new branch. Gives the commit; undefined where nothing changed. Neither the files of the repository nor its index are
   * touched.
   */
  async commitOn(
    branch: string,
    paths: readonly string[],
    work: (folder: string) => Promise<string>,
  ): Promise<string | undefined> {
    const tree = mkdtempSync(join(tmpdir(), "levadura-branch-"));
    try {
      await this.say("worktree", "add", "--quiet", "--detach", tree, "HEAD");
      const folder = join(tree, this.prefix);
      const message = await work(folder);
      const copy = new Repository(folder, this.prefix);
      await copy.say("add", "--all", "--", ...paths);
      if (await copy.#holds("diff", "--cached", "--quiet")) return undefined;
      const written = (await copy.say("write-tree")).trim();
      const head = (await copy.say("rev-parse", "HEAD")).trim();
      const made = await git(folder, ["commit-tree", written, "-p", head], message);
      const commit = said(["commit-tree"], made).trim();
      // Given the empty name of what is there before, it takes the place of nothing.
      await this.say("update-ref", `refs/heads/${branch}`, commit, "0".repeat(commit.length));
      return commit;
    } finally {
      rmSync(tree, { recursive: true, force: true });
      await git(this.folder, ["worktree", "prune"]);
    }
  }

  /** What a git command says; a failure where it fails. */
  async say(...args: string[]): Promise<string> {
    return said(args, await git(this.folder, args));
  }

  async #holds(...args: string[]): Promise<boolean> {
    return (await git(this.folder, args)).status === 0;
  }
}

interface Answer {
  status: number | undefined;
  out: string;
  err: string;
}

function said([command]: readonly string[], { status, out, err }: Answer): string {
  if (status === 0) return out;
  const reason = err.trim().split("\n").slice(0, 3).join(" ") || "it couldn't be started";
  throw new Failure("outside", `git ${command} failed: ${reason}`);
}

function git(cwd: string, args: readonly string[], input?: string): Promise<Answer> {
  // Variables under which a hook of git runs would lead it to another repository.
  const env = Object.fromEntries(
    Object.entries(process.env).filter(
      ([name]) => !/^GIT_(DIR|WORK_TREE|INDEX_FILE|PREFIX|OBJECT_DIRECTORY)$/.test(name),
    ),
  );
  return new Promise((resolve) => {
    const child = execFile(
      "git",
      args,
      { cwd, env: { ...env, LC_ALL: "C" }, maxBuffer: 64 * 1024 * 1024 },
      (error, out, err) => {
        const status = error ? error.code : 0;
        resolve({ status: typeof status === "number" ? status : undefined, out, err });
      },
    );
    child.stdin?.on("error", () => undefined);
    child.stdin?.end(input ?? "");
  });
}
