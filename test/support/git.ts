import { execFileSync } from "node:child_process";

/** Runs git in a folder, and gives what it says. */
export type Git = (...args: string[]) => string;

/** Git in a folder. */
export function gitIn(folder: string): Git {
  return (...args) =>
    execFileSync("git", args, { cwd: folder, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });
}

/** Makes a repository of a folder, with everything in it committed by somebody. */
export function committedIn(folder: string): Git {
  const git = gitIn(folder);
  git("init", "--quiet", "--initial-branch", "main");
  git("config", "user.name", "Ana");
  git("config", "user.email", "ana@hives.test");
  git("add", "--all");
  git("commit", "--quiet", "--message", "Begin");
  return git;
}
