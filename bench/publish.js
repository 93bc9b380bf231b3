// A change of an application on its way to a host.
import { execFileSync, spawn } from "node:child_process";
import { once } from "node:events";
import { chmodSync, copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { bin, inFolder, median, root, run, timed } from "./measure.js";

const port = 7791;

export function published() {
  return inFolder(async (folder) => {
    // Applications have accounts of their own where this runs as root.
    chmodSync(folder, 0o755);
    const model = join(folder, "model.yaml");
    copyFileSync(join(root, "demo", "model.yaml"), model);
    const key = join(folder, "key");
    execFileSync("ssh-keygen", ["-q", "-t", "ed25519", "-N", "", "-f", key]);
    const place = ["--folder", join(folder, "host")];
    run([bin, "host", "admit", `${key}.pub`, ...place]);
    const host = spawn(process.execPath, [bin, "host", ...place, "--port", String(port)], {
      stdio: ["ignore", "pipe", "ignore"],
    });
    try {
      await once(host.stdout, "data");
      const build = () => run([bin, "build", "-p", folder]);
      const publish = () => run([bin, "publish", `localhost:${port}`, "--key", key, "-p", folder]);
      run([bin, "prepare", "-p", folder]);
      build();
      publish();
      const [built, sent] = [[], []];
      for (let turn = 0; turn < 5; turn++) {
        const text = readFileSync(model, "utf8");
        writeFileSync(
          model,
          text.replace(/code: text 3\.\.10(, label \w+)?/, `code: text 3..10, label Turn${turn}`),
        );
        built.push(await timed(build));
        sent.push(await timed(publish));
      }
      return [
        {
          what: "`levadura publish` of the demo after one change",
          reference: "`levadura build` of the same change",
          own: median(sent),
          against: median(built),
          hold: "<= 3",
        },
      ];
    } finally {
      host.kill("SIGINT");
      await once(host, "exit");
    }
  });
}
