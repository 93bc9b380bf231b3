import { execFile } from "node:child_process";
import {
  appendFileSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { homedir, tmpdir } from "node:os";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { fileFailure, readText } from "../project/files.ts";

/** What signatures of ours are for, so that none that was made for another purpose is taken. */
const purpose = "levadura-host";

/** The usual names of keys, in the order in which they are tried. */
const usualKeys = ["id_ed25519", "id_ecdsa", "id_rsa"];

/** The SSH key to sign with: the one named, or the usual one of this account. */
export function usualKey(named: string | undefined): string {
  if (named !== undefined) {
    if (existsSync(named)) return named;
    throw new Failure("usage", `there is no key ${named}`, "--key names the file of an SSH key");
  }
  const places = usualKeys.map((name) => join(homedir(), ".ssh", name));
  const found = places.find((place) => existsSync(place));
  if (found) return found;
  throw new Failure(
    "usage",
    "there is no SSH key to sign in with",
    "make one with `ssh-keygen -t ed25519`, or name one with --key",
  );
}

/** Signs a text with an SSH key. A passphrase is asked for by ssh-keygen itself, or known to its agent. */
export async function signatureOf(key: string, text: string): Promise<string> {
  const { output, status, errors } = await sshKeygen(
    ["-Y", "sign", "-n", purpose, "-f", key],
    text,
  );
  if (status === 0) return output;
  throw new Failure(
    "usage",
    `${key} can't be used to sign in: ${errors.trim().split("\n").at(-1)}`,
  );
}

/** Who signed a text, by the keys in a file of the form of OpenSSH's allowed signers; undefined for somebody unknown. */
export async function signerOf(
  keys: string,
  text: string,
  signature: string,
): Promise<string | undefined> {
  const folder = mkdtempSync(join(tmpdir(), "levadura-signature-"));
  try {
    const file = join(folder, "signature");
    writeFileSync(file, signature, { mode: 0o600 });
    const asked = ["-s", file, "-f", keys];
    const found = await sshKeygen(["-Y", "find-principals", ...asked], "");
    const name = found.output.split("\n")[0]?.trim();
    if (found.status !== 0 || !name) return undefined;
    const checked = await sshKeygen(["-Y", "verify", "-n", purpose, "-I", name, ...asked], text);
    return checked.status === 0 ? name : undefined;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Whether a file of keys has one of somebody. */
export function isAdmitted(keys: string, name: string): boolean {
  return (readText(keys) ?? "").split("\n").some((line) => line.startsWith(`${name} `));
}

/** Adds a public key to a file of keys. Returns the name that it got: the comment of the key, or the one given. */
export function admitKey(keys: string, file: string, named?: string): string {
  const text = readText(file);
  const [line = ""] = (text ?? "").split("\n");
  const [, kind, key, comment = ""] =
    /^((?:ssh|ecdsa|sk)-[\w@.-]+) ([A-Za-z0-9+/=]{20,10000})(?: ([^\n]*))?$/.exec(line.trim()) ??
    [];
  if (!kind || !key) {
    throw new Failure(
      "usage",
      `${file} is not a public SSH key`,
      "name the file that ends in .pub, such as ~/.ssh/id_ed25519.pub",
    );
  }
  const name = (named ?? comment).replace(/[^\p{L}\p{N}@._-]+/gu, "-").slice(0, 60) || "somebody";
  try {
    const known = existsSync(keys) ? readFileSync(keys, "utf8") : "";
    if (known.includes(` ${key}`)) return name;
    appendFileSync(keys, `${name} namespaces="${purpose}" ${kind} ${key}\n`, { mode: 0o600 });
  } catch (error) {
    throw fileFailure("write", keys, error);
  }
  return name;
}

function sshKeygen(
  args: readonly string[],
  input: string,
): Promise<{ output: string; errors: string; status: number }> {
  return new Promise((resolve, reject) => {
    const child = execFile("ssh-keygen", [...args], (error, output, errors) => {
      if (error && (error as NodeJS.ErrnoException).code === "ENOENT") {
        reject(new Failure("outside", "ssh-keygen is not installed", "install OpenSSH"));
      } else resolve({ output, errors, status: error ? 1 : 0 });
    });
    // It ends before it has read all of it, where it takes offence at something else.
    child.stdin?.on("error", () => undefined);
    child.stdin?.end(input);
  });
}
