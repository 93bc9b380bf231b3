// The commands that people wait for.
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { bin, byTurns, inFolder, run, timed } from "./measure.js";
import { modelOf } from "./models.js";

export async function version() {
  const [own, reference] = await byTurns(
    15,
    () => run([bin, "--version"]),
    () => run(["-e", "0"]),
  );
  return [
    {
      what: "`levadura --version`",
      reference: "`node -e 0`",
      own,
      against: reference,
      hold: "<= 3",
    },
  ];
}

export function check() {
  return inFolder(async (folder) => {
    const path = join(folder, "model.yaml");
    writeFileSync(path, modelOf(500, 20));
    const parse = `require("yaml").parse(require("fs").readFileSync(${JSON.stringify(path)}, "utf8"))`;
    const [own, reference] = await byTurns(
      7,
      () => run([bin, "check", "-p", folder]),
      () => run(["-e", parse]),
    );
    return [
      {
        what: "`levadura check`, 500 entities with 10,000 fields",
        reference: "a process that reads and parses the same YAML",
        own,
        against: reference,
        hold: "<= 2",
      },
    ];
  });
}

export function build() {
  return inFolder(async (folder) => {
    const path = join(folder, "model.yaml");
    writeFileSync(path, modelOf(200, 20));
    const first = await timed(() => run([bin, "build", "-p", folder]));
    const again = [];
    for (let turn = 0; turn < 5; turn++) {
      const text = readFileSync(path, "utf8");
      writeFileSync(path, text.replace(/places 1(, label \w+)?/, `places 1, label Turn${turn}`));
      again.push(await timed(() => run([bin, "build", "-p", folder])));
    }
    const own = again.toSorted((a, b) => a - b)[2];
    return [
      {
        what: "`levadura build` of 200 entities again after one change",
        reference: "building it the first time",
        own,
        against: first,
        hold: "<= 0.2",
      },
    ];
  });
}

/** Builds after one change, with 200 files that somebody edited, of which one is generated differently by now. */
export function merged() {
  return inFolder(async (folder) => {
    const places = ["edited", "plain"].map((name) => join(folder, name));
    for (const place of places) {
      mkdirSync(place);
      writeFileSync(join(place, "model.yaml"), modelOf(200, 20));
      run([bin, "build", "-p", place]);
    }
    const [edited, plain] = places;
    for (let entity = 1; entity <= 200; entity++) {
      const file = join(edited, `app/src/entities/hive${entity}/hive${entity}.ts`);
      writeFileSync(file, `// Looked at by Ana.\n${readFileSync(file, "utf8")}`);
    }
    let turn = 0;
    const rebuild = (place) => {
      const path = join(place, "model.yaml");
      const text = readFileSync(path, "utf8");
      writeFileSync(path, text.replace(/places 1(, label \w+)?/, `places 1, label Turn${turn++}`));
      run([bin, "build", "-p", place]);
    };
    const [own, against] = await byTurns(
      7,
      () => rebuild(edited),
      () => rebuild(plain),
    );
    return [
      {
        what: "`levadura build` of 200 entities after one change, with 200 edited files",
        reference: "the same without edits",
        own,
        against,
        hold: "<= 1.5",
      },
    ];
  });
}
