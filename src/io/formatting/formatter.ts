import { execFile } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { promisify } from "node:util";
import { biome, type GeneratedFile } from "../../core/appgen/application.ts";
import { Failure } from "../../core/failure.ts";
import { packageFile } from "../package.ts";

const run = promisify(execFile);

/** Files that the formatter knows. */
const formatted = /\.(ts|tsx|json)$/;

/** Formats lines and sorts imports, as the application's formatter does. */
export async function formatFiles(files: readonly GeneratedFile[]): Promise<GeneratedFile[]> {
  const wanted = files.filter(({ path }) => formatted.test(path));
  if (wanted.length === 0) return [...files];
  const folder = mkdtempSync(join(tmpdir(), "levadura-format-"));
  try {
    writeFileSync(join(folder, "biome.json"), JSON.stringify({ ...biome, root: true }));
    for (const { path, text } of wanted) {
      const place = join(folder, "files", path.replace(/^biome\.json$/, "biome.copy.json"));
      mkdirSync(dirname(place), { recursive: true });
      writeFileSync(place, text);
    }
    const args = ["check", "--write", "--linter-enabled=false", "--log-level=error", "files"];
    const [command = "", ...first] = formatterCommand();
    await run(command, [...first, ...args], { cwd: folder, maxBuffer: 64 * 1024 * 1024 });
    return files.map((file) => {
      if (!formatted.test(file.path)) return file;
      const place = join(folder, "files", file.path.replace(/^biome\.json$/, "biome.copy.json"));
      return { ...file, text: readFileSync(place, "utf8") };
    });
  } catch (error) {
    const said = (error as { stdout?: string }).stdout || (error as Error).message;
    throw new Failure("outside", `the generated code couldn't be formatted: ${said.slice(0, 500)}`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** The formatter's own program, or, on systems for which its package has another name, the script that finds it. */
function formatterCommand(): string[] {
  const name = process.platform === "win32" ? "biome.exe" : "biome";
  try {
    return [packageFile(`@biomejs/cli-${process.platform}-${process.arch}/${name}`)];
  } catch {
    return [process.execPath, packageFile("@biomejs/biome/bin/biome")];
  }
}
