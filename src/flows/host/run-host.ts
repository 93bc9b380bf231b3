import { resolve } from "node:path";
import { isThisMachine } from "../../../kit/http/this-machine.ts";
import { Failure } from "../../core/failure.ts";
import { openHostPlace } from "../../io/host/place.ts";
import { admitKey } from "../../io/host/signatures.ts";
import type { Report } from "../report.ts";
import { Host } from "./host.ts";
import { type HostListening, listenFor } from "./listening.ts";

/** How a host is asked for. */
export interface HostRequest extends HostListening {
  folder: string;
  /** The name of the host; applications are under names in front of it. */
  domain: string;
  /** Whether all applications run as the account of the host. */
  oneAccount: boolean;
}

/** A host that runs. */
interface RunningHost {
  ended: Promise<number | null>;
  stop(): Promise<void>;
}

/** Runs a host: what was published to it before runs again. Resolves when it answers. */
export async function runHost(request: HostRequest, report: Report): Promise<RunningHost> {
  const { domain, address, port, certificate, behindProxy, oneAccount } = request;
  if (!isThisMachine(address) && !certificate && !behindProxy) {
    throw new Failure(
      "usage",
      `everybody on the way could read what is sent to ${address}`,
      "give the host a certificate with --certificate and --certificate-key, or let a proxy do TLS in front of it and say --behind-proxy",
    );
  }
  // Accounts of applications read the packages.
  process.umask(0o022);
  const isSecure = certificate !== undefined || behindProxy;
  const usual = behindProxy ? "" : `:${port}`;
  const origin = new URL(`${isSecure ? "https" : "http"}://${domain}${usual}`);
  const isRoot = process.getuid?.() === 0;
  report({ kind: "working", on: "starting what was published" });
  const host = await Host.open(
    { folder: resolve(request.folder), origin, ownAccounts: isRoot && !oneAccount },
    (text) => report({ kind: "trouble on host", text }),
  );
  const server = await listenFor(host, request).catch(async (error) => {
    await host.close();
    throw error;
  });
  host.log("host", "was started");
  const endPreviews = () => {
    host.endPreviews().catch((error) => host.log("host", `failed: ${(error as Error).message}`));
  };
  endPreviews();
  const minutely = setInterval(endPreviews, 60_000);
  const example = host.addressOf("hive-book");
  report({ kind: "hosting", address: origin.href, folder: host.place.root, example });
  let end: (status: number) => void = () => undefined;
  const ended = new Promise<number>((done) => {
    end = done;
  });
  return {
    ended,
    stop: async () => {
      clearInterval(minutely);
      await server.close();
      await host.close();
      host.log("host", "was ended");
      end(0);
    },
  };
}

/** Admits whoever has the private part of an SSH key. Returns the name under which. */
export function admit(folder: string, file: string, name: string | undefined): string {
  return admitKey(openHostPlace(resolve(folder)).keys, file, name);
}
