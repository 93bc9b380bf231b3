// The commands that people wait for.
import { readFileSync, writeFileSync } from "node:fs";
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
