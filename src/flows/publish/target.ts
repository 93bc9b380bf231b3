import { join } from "node:path";
import * as z from "zod";
import { isThisMachine } from "../../../kit/http/this-machine.ts";
import { projectSlug } from "../../core/appgen/wiring.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { HostClient } from "../../io/host/host-client.ts";
import { nameShape } from "../../io/host/published.ts";
import { usualKey } from "../../io/host/signatures.ts";
import { readText, writeAll } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";

/** Where an application is published: the origin of a host, and its name there. */
export interface Target {
  host: string;
  name: string;
}

/** What somebody says of a target; what is left out is as it was the last time. */
export interface TargetRequest {
  /** The address of a host. */
  host?: string | undefined;
  name?: string | undefined;
  /** The file of an SSH key. */
  key?: string | undefined;
}

const shape = z.object({ host: z.string(), name: z.string() });

/** The target that is meant: the one named, or the one of the last time. */
export function targetOf(project: Project, model: Model, asked: TargetRequest): Target {
  const before = lastTarget(project);
  const host = asked.host === undefined ? before?.host : originOf(asked.host);
  if (host === undefined) {
    throw new Failure(
      "usage",
      "this project wasn't published yet, so a host has to be named",
      "name its address, such as levadura publish https://bees.example; `levadura host` runs one",
    );
  }
  const known = before?.host === host ? before.name : undefined;
  const name = asked.name ?? known ?? hostedName(model);
  return { host, name: requireName(name) };
}

/** A name that an application can have on a host, and in paths. */
export function requireName(name: string): string {
  if (nameShape.safeParse(name).success) return name;
  throw new Failure(
    "usage",
    `an application can't be called “${name}” when it is published`,
    "a name has up to 30 small letters of a to z, digits, and single hyphens between them; name another with --as",
  );
}

/** Signs in to the host of a target. */
export function signIn({ host }: Target, { key }: TargetRequest): Promise<HostClient> {
  return HostClient.signIn(host, usualKey(key));
}

/** Remembers a target, for the next time and for colleagues: there is no secret in it. */
export function rememberTarget(project: Project, target: Target): void {
  const known = lastTarget(project);
  if (known?.host === target.host && known.name === target.name) return;
  writeAll([{ path: fileOf(project), text: `${JSON.stringify(target, null, 2)}\n` }], project.root);
}

function lastTarget(project: Project): Target | undefined {
  try {
    return shape.parse(JSON.parse(readText(fileOf(project)) ?? ""));
  } catch {
    return undefined;
  }
}

function fileOf({ root }: Project): string {
  return join(root, ".levadura", "published.json");
}

/** The origin of a host, as somebody types it. */
function originOf(typed: string): string {
  const local = /^(localhost|127\.0\.0\.1|\[::1\])(:|\/|$)/.test(typed);
  const text = /^\w+:\/\//.test(typed) ? typed : `${local ? "http" : "https"}://${typed}`;
  const address = URL.canParse(text) ? new URL(text) : undefined;
  if (!address || !["http:", "https:"].includes(address.protocol) || address.pathname !== "/") {
    throw new Failure(
      "usage",
      `${typed} is not the address of a host`,
      "write it as https://bees.example; the name of the application follows --as",
    );
  }
  if (address.protocol === "http:" && !isThisMachine(address.hostname.replace(/^\[|\]$/g, ""))) {
    throw new Failure(
      "usage",
      `everybody on the way could read what is sent to ${address.origin}`,
      "reach the host by https",
    );
  }
  return address.origin;
}

/** The name that an application has on a host, where nobody names another. */
export function hostedName(model: Model): string {
  return projectSlug(model)
    .normalize("NFD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^[-0-9]+|-+$/g, "")
    .slice(0, 30)
    .replace(/-+$/, "");
}
