import type { HostClient, HostedStatus } from "../../io/host/host-client.ts";
import { checkProject } from "../check/check.ts";
import type { Report } from "../report.ts";
import { hosted } from "./publish.ts";
import { signIn, type TargetRequest, targetOf } from "./target.ts";

export type { HostedStatus };

/** How a published application is. */
export async function publishedStatus(
  folder: string,
  asked: TargetRequest,
  report: Report,
): Promise<HostedStatus> {
  report({ kind: "working", on: "asking the host" });
  const { host, name } = await reach(folder, asked);
  return host.application(name);
}

/** What a published application said, and says until the signal. */
export async function publishedLogs(
  folder: string,
  asked: TargetRequest,
  { signal, ...wanted }: { lines: number; follow: boolean; signal: AbortSignal },
  read: (text: string) => void,
): Promise<void> {
  const { host, name } = await reach(folder, asked);
  await host.logs(name, wanted, read, signal);
}

/** Goes back to an older version. */
export async function rollBackPublished(
  folder: string,
  asked: TargetRequest,
  request: { to: number | undefined; data: boolean },
  report: Report,
): Promise<{ name: string; version: number; address: string }> {
  const { host, name } = await reach(folder, asked);
  const done = await host.rollBack(name, request, (event) => report(hosted(event)));
  return { name, version: done.number, address: done.address };
}

/** The names of the secrets of an application. */
export async function publishedSecrets(folder: string, asked: TargetRequest): Promise<string[]> {
  const { host, name } = await reach(folder, asked);
  return host.secrets(name);
}

/** Sets a secret, or removes it with null. */
export async function setPublishedSecret(
  folder: string,
  asked: TargetRequest,
  secret: { name: string; value: string | null },
  report: Report,
): Promise<void> {
  const { host, name } = await reach(folder, asked);
  await host.setSecret(name, secret, (event) => report(hosted(event)));
}

export async function endPublishedPreview(
  folder: string,
  asked: TargetRequest,
  preview: string,
): Promise<void> {
  const { host } = await reach(folder, asked);
  await host.endPreview(preview);
}

async function reach(
  folder: string,
  asked: TargetRequest,
): Promise<{ host: HostClient; name: string }> {
  const { project, model } = checkProject(folder);
  const target = targetOf(project, model, asked);
  return { host: await signIn(target, asked), name: target.name };
}
