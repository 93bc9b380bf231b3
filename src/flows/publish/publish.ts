import type { HostEvent } from "../../io/host/host-client.ts";
import { platformHere } from "../../io/platform.ts";
import { checkProject } from "../check/check.ts";
import type { Report } from "../report.ts";
import { packProject } from "./package.ts";
import { rememberTarget, signIn, type TargetRequest, targetOf } from "./target.ts";

/** What is asked of `levadura publish`. */
export interface PublishSettings extends TargetRequest {
  /** A copy that ends by itself after some days, with these rows. */
  preview?: { rows: "sample" | "copy"; days: number };
  open: boolean;
  administrator?: string | undefined;
}

/** An application that was published. */
export interface Published {
  name: string;
  version: number;
  address: string;
  /** The link for the first administrator. */
  welcome?: string;
  /** The password of a preview, and when it ends. */
  password?: string;
  until?: string;
  /** Files and bytes that were sent: those that the host lacked. */
  sent: { files: number; bytes: number };
}

/** Packs the application of a project, sends what a host lacks of it, and has it published there. */
export async function publishProject(
  folder: string,
  settings: PublishSettings,
  report: Report,
): Promise<Published> {
  const { project, model } = checkProject(folder);
  const target = targetOf(project, model, settings);
  report({ kind: "working", on: `signing in to ${target.host}` });
  // Most hosts are machines of the same kind, so it is packed for one meanwhile.
  const here = platformHere();
  const begun = packProject(project, model, here, report);
  begun.catch(() => undefined);
  const host = await signIn(target, settings).catch(async (error) => {
    // Nothing of the project is in work when the command ends.
    await begun.catch(() => undefined);
    throw error;
  });
  const whole = await begun;
  const { folder: packed, described } =
    host.platform === here ? whole : await packProject(project, model, host.platform, report);
  const { preview, open, administrator } = settings;
  const { id, missing } = await host.announce(target.name, {
    package: described,
    open,
    ...(administrator !== undefined && { administrator }),
    ...(preview && { preview }),
  });
  const sizes = new Map(described.files.map(({ path, size }) => [path, size]));
  const bytes = missing.reduce((sum, path) => sum + (sizes.get(path) ?? 0), 0);
  const on = `sending ${missing.length === 1 ? "1 file" : `${missing.length} files`}`;
  let told = -1;
  await host.send(id, packed, missing, (sent) => {
    // Compressed, it is about a third.
    const percent = Math.min(99, Math.floor((300 * sent) / bytes));
    if (percent > told) report({ kind: "working", on, share: percent / 100 });
    told = Math.max(told, percent);
  });
  report({ kind: "sent", files: missing.length, of: described.files.length, bytes });
  const done = await host.publish(id, (event) => report(hosted(event)));
  if (!preview) rememberTarget(project, target);
  const { number, address, welcome, password, until } = done;
  return {
    name: target.name,
    version: number,
    address,
    ...(welcome !== undefined && { welcome }),
    ...(password !== undefined && { password }),
    ...(until !== undefined && { until }),
    sent: { files: missing.length, bytes },
  };
}

/** What a host tells, as an event of a flow. */
export function hosted(event: HostEvent): Parameters<Report>[0] {
  return event.kind === "working" ? event : { kind: "on host", event };
}
