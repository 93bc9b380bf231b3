import { mkdirSync, readdirSync, statSync, watch } from "node:fs";
import { basename, dirname, join } from "node:path";
import { isThisMachine } from "../../../kit/http/this-machine.ts";
import { deferChanges } from "../../core/evolution/deferred-changes.ts";
import { describeStep } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import { onlyComputable } from "../../core/formula/check.ts";
import { withChecks } from "../../core/formula/row-checks.ts";
import type { Model } from "../../core/model/model.ts";
import { pathOf } from "../../core/model/names.ts";
import { slugOf } from "../../core/naming/words.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { readText, writeAll } from "../../io/project/files.ts";
import {
  type MigrationFolder,
  migrationOf,
  nextName,
  writeMigration,
} from "../../io/project/migrations.ts";
import { modelName, type Project } from "../../io/project/project.ts";
import { TreeWatcher } from "../../io/project/watching.ts";
import { type Bundler, openBundler } from "../../io/runner/bundle.ts";
import { type RunningServer, startServer } from "../../io/runner/server.ts";
import { supervised } from "../../io/runner/supervised.ts";
import { buildApplication } from "../build/build.ts";
import { builtModel } from "../build/built-model.ts";
import { type ChangeImpact, pendingChanges, reportChanges } from "../changes/changes.ts";
import { type Checked, checkProject } from "../check/check.ts";
import { pictureFiles } from "../check/pictures.ts";
import { createDatabase, databaseUrl, withDatabase } from "../database.ts";
import { filesUrl } from "../files/location.ts";
import type { DataSource } from "../import/data-source.ts";
import { hasDataFiles, loadData, pendingData } from "../import/load.ts";
import { aloneOn } from "../lock.ts";
import { migrateProject } from "../migrate/migrate.ts";
import { nameFor } from "../prepare/prepare.ts";
import type { Report } from "../report.ts";
import { isUntouched, seedProject } from "../seed/seed.ts";
import {
  addressOf,
  type Listening,
  portFor,
  requireGuarded,
  startOn,
  usualPort,
  welcomeAt,
} from "../serve/serve.ts";
import { extendApplied, settleAmendment } from "./amend-migration.ts";

/** How long a save is given to be complete, in milliseconds. */
const settling = 40;

/** The same of a file that is empty: that is how many editors begin, and a busy machine may take its time. */
const emptySettling = 3000;

/** A running project: the application answers, and the model is watched. */
export interface Risen {
  address: string;
  /** Resolves when the application ended by itself. */
  ended: Promise<number | null>;
  stop(): Promise<void>;
}

/**
 * Does all of it: checks, prepares, migrates, seeds when empty, builds, serves; then follows the model
 * and the application's source. Throws when the first round fails; later ones are reported.
 */
export async function riseProject(
  folder: string,
  listening: Listening,
  report: Report,
  log: (text: string) => void,
): Promise<Risen> {
  const first = checkProject(folder);
  requireGuarded(listening, first.model);
  await portFor(listening);
  const session = new RiseSession(first.project, report);
  await aloneOn(first.project, "rise", async () => {
    await createDatabase(first.project);
    await withDatabase(first.project, (engine) => settleAmendment(first.project, engine));
    const model = await session.apply(first);
    const untouched = await isUntouched(first.project, model);
    // Rows of a person's own are there instead of sample rows, which come beside those that the model asks for.
    const empty = untouched && !hasDataFiles(first.project, model);
    if (!empty || !(await fillSamples(first.project, model, report))) {
      await takeData(first.project, model, report);
    }
    await buildApplication(first.project, model, report);
  });
  const runner = new Runner(first.project, listening, report, log);
  runner.tell(first, session.waiting);
  report({ kind: "working", on: "starting the application" });
  const address = await runner.begin();
  const { users } = first.model;
  if (users && isThisMachine(listening.host)) {
    const groups = [...users.groups.map(({ label }) => label), "Administrators"];
    report({ kind: "sample people", address: `${address}-/sign-in`, groups });
  }
  const follower = new Follower(folder, session, runner, report);
  follower.begin();
  report({ kind: "watching", file: modelName(first.project) });
  return {
    address,
    ended: runner.ended,
    stop: async () => {
      await follower.end();
      await runner.close();
      report({ kind: "stopped" });
    },
  };
}

/** Fills an empty database with sample rows; false where the model has it that there can be none, which is told. */
async function fillSamples(project: Project, model: Model, report: Report): Promise<boolean> {
  try {
    await seedProject(project, model, {}, report);
    return true;
  } catch (error) {
    if (!(error instanceof Failure) || error.code !== "input") throw error;
    report({ kind: "unseeded", error });
    return false;
  }
}

/** Loads data files, and rows that the model asks for, that the database hasn't taken as they are now. */
async function takeData(
  project: Project,
  model: Model,
  report: Report,
  which: (source: DataSource) => boolean = () => true,
): Promise<void> {
  const sources = (await pendingData(project, model)).filter(which);
  for (const loaded of await loadData(project, model, sources, {}, report)) {
    report({ kind: "loaded", ...loaded });
  }
}

/** One run of `rise`: the saves made during it gather in one migration. */
class RiseSession {
  /** The migration that this session began. */
  #name: string | undefined;
  /** Deferred changes, in words. */
  waiting: string[] = [];
  /** The model at the last round; before the first, the one that the application was built from. */
  #taken: Model | undefined;

  constructor(
    readonly project: Project,
    readonly report: Report,
  ) {}

  /** Applies what is safe to the migrations and the database. Returns the model without what waits. */
  async apply({ project, model }: Checked): Promise<Model> {
    await migrateProject(project, model, this.report);
    const built = this.#taken ?? builtModel(project);
    let held = model;
    let waiting = await waitingChanges(project, held);
    this.waiting = waiting.map(waitingSentence);
    // Deferring a change may require others, such as a field that is still needed in its old place.
    const checks = new Set<string>();
    for (let round = 0; waiting.length > 0 && built && round < 5; round++) {
      // A deferred check holds nothing else up: the application enforces its rule from now on.
      for (const { table, check } of waiting) if (check) checks.add(`${table}.${check}`);
      const others = waiting.filter(({ check }) => !check);
      held = withChecks(deferChanges(held, built, others), checks);
      waiting = await waitingChanges(project, held);
    }
    if (waiting.length > 0) {
      throw new Failure(
        "input",
        `the model has changes that wait: ${this.waiting.join("; ")}`,
        "`levadura changes` says what each does to the rows, and `levadura prepare` takes them on",
      );
    }
    if (this.waiting.length > 0) this.report({ kind: "waiting", changes: this.waiting });
    const rest = pendingChanges(project, held);
    if (rest.steps.length > 0) await this.#gather(rest, model);
    // A formula may refer to something that is deferred.
    this.#taken = this.waiting.length > 0 ? onlyComputable(held) : held;
    return this.#taken;
  }

  async #gather(
    { migrations, reached, steps }: ReturnType<typeof pendingChanges>,
    model: Model,
  ): Promise<void> {
    const dialect = dialectOf(model);
    const last = migrations.at(-1);
    // Rows deleted by a migration are kept as one unit, so a migration that deletes any is not amended.
    const keeps = steps.some((step) => "keep" in step && step.keep !== undefined);
    const joins = dialect.transactional && !keeps && last?.name === this.#name;
    const begun = joins ? last : undefined;
    if (begun) {
      const added = migrationOf(begun.name, steps, dialect, reached);
      const whole: MigrationFolder = {
        name: begun.name,
        steps: [...begun.steps, ...steps],
        forward: `${begun.forward}\n${added.forward}`,
        back: `${added.back}\n${begun.back}`,
      };
      await withDatabase(this.project, (engine) =>
        extendApplied(this.project, dialect, engine, whole, added.forward),
      );
    } else {
      const name = nextName(migrations, nameFor(migrations, steps));
      writeMigration(this.project, dialect, migrationOf(name, steps, dialect, reached));
      await migrateProject(this.project, model, () => undefined);
      this.#name = name;
    }
    const name = this.#name ?? "";
    this.report({ kind: "prepared", name, steps: steps.map(describeStep) });
    this.report({ kind: "applied", name, findings: [] });
  }
}

/** A change that waits, with the rows that it waits for. */
function waitingSentence({ sentence, risks }: ChangeImpact): string {
  const rows = risks.filter(({ count }) => count !== 0).map((risk) => risk.sentence);
  return rows.length > 0 ? `${sentence} (${rows.join("; ")})` : sentence;
}

/** Changes that `rise` doesn't make by itself, because rows could violate them or be lost. */
async function waitingChanges(project: Project, model: Model): Promise<ChangeImpact[]> {
  const { unprepared, renames } = await reportChanges(project, model, { onlyModel: true });
  // The new name is deferred, too: otherwise `was` would be too late.
  const coming = new Map(renames.map((each) => [`${each.table}.${each.to}`, each]));
  return unprepared.flatMap((change) => {
    const { verdict, table, column } = change;
    const rename = column === undefined ? undefined : coming.get(`${table}.${column}`);
    if (rename) {
      const sentence = `${table}.${column} is new, unless it was ${rename.column}: then add \`${rename.line}\` to it`;
      return [{ ...change, sentence }];
    }
    return verdict === "safe" || verdict === "rewrites the table" ? [] : [change];
  });
}

/** The running application, and where its pages come from. */
class Runner {
  #bundler: Bundler | undefined;
  #server: RunningServer | undefined;
  #port: number;
  /** Whether its address was told. */
  #begun = false;
  #stopping = false;
  readonly #notes: string;
  #end: (code: number | null) => void = () => undefined;
  readonly ended = new Promise<number | null>((resolve) => {
    this.#end = resolve;
  });

  constructor(
    readonly project: Project,
    readonly listening: Listening,
    readonly report: Report,
    readonly log: (text: string) => void,
  ) {
    this.#port = listening.port ?? usualPort;
    this.#notes = join(project.run, "notes.json");
  }

  /** Writes down which file and line each page is made from, and which changes wait. */
  tell({ project, model, places }: Checked, waiting: readonly string[]): void {
    const file = modelName(project);
    const origins = model.entities.flatMap((entity) => {
      const at = slugOf(entity.name);
      const line = `${file}:${places.place(entity.at.start).line}`;
      const from = (page: string) => ({
        model: line,
        file: `app/src/entities/${at}/${at}.${page}.tsx`,
      });
      return [
        [pathOf(entity), from("list")],
        [`${pathOf(entity)}/detail`, from("detail")],
        [`${pathOf(entity)}/form`, from("form")],
      ];
    });
    const start = ["/", { model: `${file}:1`, file: "app/src/app.ts" }];
    const text = JSON.stringify({ origins: Object.fromEntries([start, ...origins]), waiting });
    if (readText(this.#notes) !== text) writeAll([{ path: this.#notes, text }], project.root);
  }

  /** Whether the application runs. */
  get runs(): boolean {
    return this.#server !== undefined;
  }

  /** Starts the application for the first time, and gives its address; nothing is left behind where it doesn't start. */
  async begin(): Promise<string> {
    const wantedPort = this.#port;
    try {
      await this.start();
      return this.#serving(wantedPort);
    } catch (error) {
      await this.#bundler?.close();
      this.#bundler = undefined;
      throw error;
    }
  }

  /** Bundles the application and starts it in the place of the one that runs. */
  async start(): Promise<void> {
    mkdirSync(this.project.run, { recursive: true });
    this.#bundler ??= await openBundler(this.project);
    const bundler = this.#bundler;
    // Other commands write the application's source; the lock keeps half-written source out of the bundle.
    const main = await aloneOn(this.project, "rise", () => bundler.bundle());
    const before = this.#server;
    this.#server = undefined;
    await before?.stop();
    if (this.#stopping) return;
    const { host, open = false, administrator } = this.listening;
    const settings = {
      host,
      open,
      // Once is enough: the link that was made holds for a day.
      administrator: before ? undefined : administrator,
      database: databaseUrl(this.project),
      files: filesUrl(this.project),
      notes: this.#notes,
      log: this.log,
    };
    const begin = (port: number) =>
      startServer(this.project, main, {
        ...settings,
        port,
        welcome: (path) => this.report({ kind: "welcome", address: welcomeAt(host, port, path) }),
      });
    const server = await supervised(
      async () => {
        // Its port is free for a moment while it restarts: another program may take it.
        const wantedPort = this.#port;
        const { port, started } = await startOn(this.listening, begin, wantedPort);
        this.#port = port;
        if (this.#begun && port !== wantedPort) this.#serving(wantedPort);
        return started;
      },
      (death) => this.report({ kind: "died", ...death }),
    );
    this.#server = server;
    void server.ended.then((code) => {
      if (this.#server === server && !this.#stopping) this.#end(code);
    });
  }

  #serving(wantedPort: number): string {
    this.#begun = true;
    const address = addressOf(this.listening.host, this.#port);
    this.report({ kind: "serving", address, wantedPort, port: this.#port });
    return address;
  }

  async close(): Promise<void> {
    this.#stopping = true;
    await this.#server?.stop();
    await this.#bundler?.close();
  }
}

/** Watches the model and the application's source; runs one round at a time. */
class Follower {
  #watchers: { close(): void }[] = [];
  /** What watches the folders of the pictures that the model names, by folder. */
  readonly #pictureWatchers = new Map<string, { close(): void }>();
  #pictures = "";
  #timer: NodeJS.Timeout | undefined;
  #round: Promise<void> = Promise.resolve();
  #ended = false;
  #text: string | undefined;
  #source: string;

  constructor(
    readonly folder: string,
    readonly session: RiseSession,
    readonly runner: Runner,
    readonly report: Report,
  ) {
    this.#text = readText(session.project.model);
    this.#pictures = this.#pictureState(this.#text);
    this.#source = sourceState(session.project);
  }

  begin(): void {
    const { root, model, app } = this.session.project;
    // The folder is watched, not the file: many editors put a new file into its place.
    this.#watchers = [
      watch(root, (_event, name) => {
        if (name === null || name === basename(model) || this.#leadsToPicture(name)) this.#wake();
      }),
      new TreeWatcher(join(app, "src"), () => this.#wake()),
    ];
    this.#wake();
  }

  /** Has a round begin when nothing was saved for a moment. */
  #wake(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      this.#round = this.#round.then(() => this.#follow());
    }, settling);
  }

  async #follow(): Promise<void> {
    if (this.#ended) return;
    const begun = Date.now();
    const text = readText(this.session.project.model);
    // Asked after reading: a save that began before that is seen.
    if (isBeingSaved(this.session.project.model)) return this.#wake();
    const source = sourceState(this.session.project);
    const pictures = this.#pictureState(text);
    const isSame = text === this.#text && pictures === this.#pictures;
    if (isSame && source === this.#source && this.runner.runs) return;
    try {
      if (!isSame) {
        this.#pictures = pictures;
        const checked = this.#checked(text);
        if (!checked) return this.#wake();
        this.#text = checked.places.text;
        refuseOtherKind(this.session.project, checked.project);
        await aloneOn(this.session.project, "rise", async () => {
          const model = await this.session.apply(checked);
          await takeData(this.session.project, model, this.report, ({ whole }) => !whole);
          await buildApplication(this.session.project, model, this.report);
        });
        this.runner.tell(checked, this.session.waiting);
      }
      this.#source = sourceState(this.session.project);
      await this.runner.start();
      this.report({ kind: "restarted", milliseconds: Date.now() - begun });
    } catch (error) {
      this.#source = sourceState(this.session.project);
      this.report({ kind: "trouble", error, runs: this.runner.runs });
    }
  }

  /** Whether a name in the project's folder is on the way to a picture, which may come later than the model. */
  #leadsToPicture(name: string): boolean {
    const place = join(this.session.project.root, name);
    return this.#pictures.split("\n").some((file) => file.startsWith(place));
  }

  /** The times of the pictures that the model names, whose folders are watched from then on. */
  #pictureState(text = ""): string {
    const files = pictureFiles(text, this.session.project.root);
    const folders = new Set(files.map((file) => dirname(file)));
    for (const [folder, watcher] of this.#pictureWatchers) {
      if (folders.has(folder)) continue;
      watcher.close();
      this.#pictureWatchers.delete(folder);
    }
    for (const folder of folders) {
      if (this.#pictureWatchers.has(folder) || savedAt(folder) === undefined) continue;
      const watcher = watch(folder, () => this.#wake());
      watcher.on("error", () => watcher.close());
      this.#pictureWatchers.set(folder, watcher);
    }
    return files.map((file) => `${file} ${savedAt(file) ?? ""}`).join("\n");
  }

  /** Reads and checks the model; undefined where it is being saved meanwhile, so that what was read may be half of it. */
  #checked(text: string | undefined): Checked | undefined {
    const path = this.session.project.model;
    const begun = savedAt(path);
    try {
      const checked = checkProject(this.folder);
      return savedAt(path) === begun ? checked : undefined;
    } catch (error) {
      if (savedAt(path) !== begun || isBeingSaved(path)) return undefined;
      this.#text = text;
      throw error;
    }
  }

  async end(): Promise<void> {
    this.#ended = true;
    clearTimeout(this.#timer);
    for (const watcher of [...this.#watchers, ...this.#pictureWatchers.values()]) watcher.close();
    await this.#round;
  }
}

/** Whether a file was written to only just now, and so may not be whole: many editors empty it first. */
function isBeingSaved(path: string): boolean {
  const file = statSync(path, { throwIfNoEntry: false });
  if (!file) return false;
  return Math.abs(Date.now() - file.mtimeMs) < (file.size === 0 ? emptySettling : settling);
}

/** A session keeps the database that it began with. */
function refuseOtherKind({ kind: before }: Project, { kind: now }: Project): void {
  if (before === now) return;
  throw new Failure(
    "input",
    `the model says \`database: ${now}\` now, and this is running over ${before}`,
    "end this with Ctrl-C, and start it again",
  );
}

/** The names and times of the application's source files: equal as long as nobody touches one. */
function sourceState({ app }: Project): string {
  return readdirSync(join(app, "src"), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile() && /\.(tsx?|css|svg)$/.test(entry.name))
    .map((entry) => join(entry.parentPath, entry.name))
    .sort()
    .map((path) => `${path} ${statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? 0}`)
    .join("\n");
}

/** When a file was last written to, in milliseconds; undefined where there is none. */
function savedAt(path: string): number | undefined {
  return statSync(path, { throwIfNoEntry: false })?.mtimeMs;
}
