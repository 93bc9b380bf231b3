import { existsSync, mkdirSync, readdirSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { basename, dirname, join } from "node:path";
import {
  type BuildContext,
  type BuildFailure,
  type BuildOptions,
  type BuildResult,
  context,
  type Plugin,
} from "esbuild";
import { Failure } from "../../core/failure.ts";
import { packageFile, packageModule, packagesFolder } from "../package.ts";
import { fileFailure } from "../project/files.ts";
import type { Project } from "../project/project.ts";
import { lateNames } from "./late-packages.ts";

/** An application on its way to being run; making the bundle again takes what didn't change from before. */
export interface Bundler {
  /** Makes the bundle, and gives its main file. */
  bundle(): Promise<string>;
  close(): Promise<void>;
}

/**
 * Drivers stay where they are: one loads a binary beside its own files, the others were not written as modules. So do
 * packages that few requests need, and which the first of these loads.
 */
const outside: Plugin = {
  name: "outside",
  setup(build) {
    build.onResolve({ filter: /^(libsql(\/promise)?|pg|mysql2)$/ }, ({ path }) => ({
      path: packageFile(path),
      external: true,
    }));
    for (const filter of [lateNames, /^(sharp|pdfmake(\/.*)?)$/]) {
      build.onResolve({ filter }, ({ path }) => ({ path: packageModule(path), external: true }));
    }
  },
};

/**
 * Bundles an application against Levadura's own packages: nothing has to be installed in it. A compact one starts faster; its
 * names stay as they are, so that errors can be understood.
 */
export async function openBundler(project: Project, isCompact = false): Promise<Bundler> {
  const out = join(project.run, "dist");
  let before: ReadonlySet<string> = new Set(partsIn(out));
  const code = await context({
    ...codeOptions(project, out),
    entryPoints: ["src/main.ts"],
    minifyWhitespace: isCompact,
    minifySyntax: isCompact,
    plugins: [outside],
  });
  const assets = new AssetsContext(project, assetsOptions(project, out));
  return {
    bundle: async () => {
      try {
        const made = await Promise.all([code.rebuild(), assets.rebuild()]);
        const files = made.flatMap(({ outputFiles = [] }) => outputFiles);
        // An application that starts meanwhile reads a whole file, the old one or the new one; what it leads to is there first.
        const isMain = ({ path }: { path: string }) => (basename(path) === mainFile ? 1 : 0);
        for (const { path, contents } of files.toSorted((a, b) => isMain(a) - isMain(b))) {
          mkdirSync(dirname(path), { recursive: true });
          writeFileSync(`${path}.${process.pid}`, contents);
          renameSync(`${path}.${process.pid}`, path);
        }
        const parts = new Set(files.map(({ path }) => basename(path)));
        for (const part of partsIn(out)) {
          // One that still runs may lead to the parts of the bundle before.
          if (!parts.has(part) && !before.has(part)) rmSync(join(out, part), { force: true });
        }
        before = parts;
      } catch (error) {
        throw bundleFailure(error, out);
      }
      return join(out, mainFile);
    },
    close: async () => {
      await Promise.all([code.dispose(), assets.dispose()]);
    },
  };
}

/** How what runs on the server is bundled. */
export function codeOptions(project: Project, out: string) {
  return {
    ...commonOptions(project),
    outdir: out,
    // What few requests need is in files of their own, which aren't read at the start.
    splitting: true,
    outExtension: { ".js": ".mjs" },
    platform: "node",
    format: "esm",
    target: "node20",
    jsx: "automatic",
    jsxImportSource: "#jsx",
  } satisfies BuildOptions;
}

/** How what goes to browsers is bundled. */
export function assetsOptions(project: Project, out: string) {
  return {
    ...commonOptions(project),
    entryNames: "[name]",
    outdir: join(out, "assets"),
    minify: true,
    loader: { ".svg": "copy" },
  } satisfies BuildOptions;
}

/** The files that go to browsers, or lead to all that do. */
export function assetEntries({ app }: Project): string[] {
  return [
    "src/app.css",
    "src/kit/client/client.ts",
    "src/kit/client/worker.ts",
    "src/kit/client/embedding.ts",
    "src/icon.svg",
    ...(existsSync(join(app, "src", "logo.svg")) ? ["src/logo.svg"] : []),
  ];
}

function commonOptions(project: Project) {
  return {
    absWorkingDir: project.app,
    bundle: true,
    write: false,
    nodePaths: [packagesFolder],
    logLevel: "silent",
  } satisfies BuildOptions;
}

/** What goes to browsers. Which files that is may change while the bundler is open: a logo comes, and goes. */
class AssetsContext {
  #context: BuildContext | undefined;
  #entryPoints: readonly string[] = [];

  constructor(
    readonly project: Project,
    readonly options: BuildOptions,
  ) {}

  async rebuild(): Promise<BuildResult> {
    const entryPoints = assetEntries(this.project);
    if (!this.#context || entryPoints.length !== this.#entryPoints.length) {
      await this.dispose();
      this.#context = await context({ ...this.options, entryPoints });
      this.#entryPoints = entryPoints;
    }
    return this.#context.rebuild();
  }

  async dispose(): Promise<void> {
    await this.#context?.dispose();
    this.#context = undefined;
  }
}

const mainFile = "main.mjs";

/** The files of a bundle for the server. */
function partsIn(out: string): string[] {
  return existsSync(out) ? readdirSync(out).filter((name) => name.endsWith(".mjs")) : [];
}

/** Why an application can't be bundled: a mistake in its code, or a file that can't be written. */
export function bundleFailure(error: unknown, out: string): Failure {
  return isBuildFailure(error) ? codeFailure(error) : fileFailure("write", out, error);
}

function isBuildFailure(error: unknown): error is BuildFailure {
  return Array.isArray((error as BuildFailure).errors);
}

function codeFailure({ errors = [], message }: BuildFailure): Failure {
  const [first] = errors;
  if (!first) return new Failure("outside", `the application can't be bundled: ${message}`);
  const at = first.location ? ` at app/${first.location.file}:${first.location.line}` : "";
  const more = errors.length > 1 ? `, and ${errors.length - 1} more` : "";
  return new Failure(
    "input",
    `the application can't be bundled${at}: ${first.text}${more}`,
    "mend the file, or delete it and run `levadura build` to get it back as it was generated",
  );
}
